"""Structured values of a shape that a world file says, judged by a validator of JSON Schema."""

from __future__ import annotations

import json
from pathlib import Path

import jsonschema
import pytest

import weltigen
from weltigen.model.problems import ImpossibleError, UnreadableError

MODEL = "CREATE TABLE reading (id integer PRIMARY KEY, payload jsonb NOT NULL, extra text NOT NULL, codes text[] NOT NULL, raw varchar(20));"
SHAPE = """
        properties:
          id: {kind: uuid}
          owner: {properties: {name: {kind: name}, mail: {kind: email}}, required: [name, mail]}
          tags: {type: array, items: {enum: [new, "old \\"one\\"", 5]}, minItems: 1, maxItems: 4}
          score: {type: number, minimum: 0, maximum: 10, multipleOf: 0.5}
          count: {type: integer, minimum: 1, maximum: 6}
          seen: {format: date-time}
          ok: {type: boolean}
          note: {kind: remark}
          code: {pattern: "[A-Z]{3}-[0-9]{2}"}
        required: [id, tags, owner]
"""
WORLD = """weltigen: 3
model: model.sql
entities:
  reading:
    rows: 900
    fields:
      payload:SHAPE
      extra: {items: {properties: {lat: {kind: latitude}}}, maxItems: 2}
      codes: {items: {kind: {pattern: {of: "[A-F]{2}"}}}, minItems: 2, maxItems: 5}
"""


def _world(folder: Path, text: str) -> weltigen.World:
    (folder / "model.sql").write_text(MODEL)
    (folder / "world.yaml").write_text(text.replace("SHAPE", SHAPE))
    return weltigen.open_world(folder / "world.yaml")


def test_values_have_the_shape_that_was_said(tmp_path: Path) -> None:
    world = _world(tmp_path, WORLD)
    rows = world.dataset().frame("reading")
    properties = {
        "id": {"type": "string", "pattern": "^[0-9a-f-]{36}$"}, "seen": {"type": "string", "pattern": "^....-..-..T..:..:..Z$"},
        "tags": {"type": "array", "items": {"enum": ["new", 'old "one"', 5]}, "minItems": 1, "maxItems": 4},
        "score": {"type": "number", "minimum": 0, "maximum": 10}, "count": {"type": "integer", "minimum": 1, "maximum": 6},
        "ok": {"type": "boolean"}, "note": {"type": "string"}, "code": {"pattern": "^[A-Z]{3}-[0-9]{2}$"},
        "owner": {"type": "object", "required": ["name", "mail"]},
    }  # fmt: skip
    schema = {"type": "object", "properties": properties, "required": ["id", "tags", "owner"], "additionalProperties": False}
    values = [json.loads(text) for text in rows["payload"]]
    for value in values:
        jsonschema.validate(value, schema)
        assert value["owner"]["name"].split()[0].lower()[:3] == value["owner"]["mail"][:3].lower()  # one person
    assert {len(value["tags"]) for value in values} == {1, 2, 3, 4} and 0.7 < sum("ok" in value for value in values) / 900 < 0.9
    assert {value["score"] for value in values if "score" in value} == {half / 2 for half in range(21)}
    assert set(rows["extra"].map(json.loads).map(len)) == {0, 1, 2} and set(rows["codes"].map(len)) == {2, 3, 4, 5}
    assert world.dataset().digest("reading") == _world(tmp_path, WORLD).dataset().digest("reading")


@pytest.mark.parametrize(
    ("old", "new", "said"),
    [("kind: uuid", "kind: uid", r"9:\d+.*did you mean 'uuid'"), ("required: [id,", "required: [ids,", "'ids' is none of its properties"),
     ("maxItems: 4", "maxItems: 0", "between 1 and 200 items"), ("multipleOf: 0.5", "multipleOf: x", "multipleOf is a number"),
     ("type: boolean", "type: bool", "did you mean 'boolean'"), ("extra: {items", "id: {items", "which holds no list"),
     ("format: date-time", "fromat: date-time", "did you mean 'format'"), ("extra: {items", "raw: {items", "takes up to .* characters")],
)  # fmt: skip
def test_a_shape_that_cannot_be_is_told_with_its_place(old: str, new: str, said: str, tmp_path: Path) -> None:
    with pytest.raises((UnreadableError, ImpossibleError), match=f"(?s)world.yaml:.*{said}"):
        _world(tmp_path, WORLD.replace("SHAPE", SHAPE).replace(old, new)).dataset()
