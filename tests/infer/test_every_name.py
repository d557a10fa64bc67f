"""Every name that means something, in every type that it goes with, bare: what is made of it keeps what the type asks for."""

from __future__ import annotations

import json
import re
from functools import lru_cache
from ipaddress import ip_interface
from pathlib import Path
from uuid import UUID

import pyarrow.compute as pc
import pytest

import weltigen
from weltigen.infer.concepts import known_names, matching
from weltigen.infer.in_context import _CONTEXTS
from weltigen.infer.offers import read_pairs
from weltigen.model import TypeName
from weltigen.model.types import TEXTS

SPELLED = {
    TypeName.TEXT: "text", TypeName.VARCHAR: "varchar({})", TypeName.CHAR: "char({})", TypeName.INTEGER: "integer", TypeName.BIGINT: "bigint",
    TypeName.SMALLINT: "smallint", TypeName.NUMERIC: "numeric(12,2)", TypeName.DOUBLE: "double precision", TypeName.DATE: "date",
    TypeName.TIMESTAMP: "timestamp", TypeName.TIMESTAMPTZ: "timestamptz", TypeName.TIME: "time", TypeName.BOOLEAN: "boolean", TypeName.UUID: "uuid",
    TypeName.JSON: "jsonb", TypeName.BYTEA: "bytea", TypeName.ARRAY: "text[]", TypeName.INET: "inet", TypeName.MACADDR: "macaddr",
}  # fmt: skip
ROOMS = (1, 2, 3, 5, 8, 12, 20, 40, 120, 255)
STEP = 41  # of all names every so many


@lru_cache(maxsize=1)
def names() -> list[str]:
    found = ["_".join(words) for words in known_names() if all(word.isalnum() for word in words)]
    return sorted(name for name in found if len(name) < 60 and not name[0].isdigit())


def test_no_list_of_values_is_cut_in_a_wrong_place() -> None:
    """A value with a comma and a colon would swallow its neighbours."""
    lists = {one.concept.arguments for words in known_names() for one in matching(words) if one.concept.what == "words"}
    assert len(lists) > 800
    assert [value for text in lists for value, _ in read_pairs(text) if re.search(r":\d+, ", value)] == []


def test_what_a_concept_makes_is_there(tmp_path: Path) -> None:
    """Kinds, shapes of numbers, purposes of texts and patterns are asked of the world file, which tells those that are not."""
    concepts = {one.concept for words in known_names() for one in matching(words)}
    in_context = {one.what for one in concepts} - {"flag", "kind", "num", "words", "pattern", "text", "json", "of", "code"}
    assert len(in_context) > 40 and in_context <= set(_CONTEXTS)
    asked = []
    for one in sorted(concepts, key=str):
        match one.what, one.arguments.split(" "):
            case "num", [low, high, *shape]:
                asked.append(f"kind: {{number: {{from: {low}, to: {high}, shape: {shape[0] if shape else 'even'}}}}}")
            case "text", [purpose]:
                asked.append(f"kind: {{text: {{purpose: {purpose}}}}}")
            case "pattern", _:
                asked.append(f"pattern: {json.dumps(one.arguments)}")
    assert len(asked) > 1200
    columns = ", ".join(f"c{at} {'double precision' if 'number' in said else 'text'}" for at, said in enumerate(asked))
    fields = "\n".join(f"      c{at}: {{{said}}}" for at, said in enumerate(asked))
    (tmp_path / "held.sql").write_text(f"CREATE TABLE held (k_ integer PRIMARY KEY, {columns});")
    world = tmp_path / "held.yaml"
    world.write_text(f"weltigen: 3\nmodel: held.sql\nentities:\n  held:\n    rows: 2\n    fields:\n{fields}\n")
    dataset = weltigen.open_world(world).dataset()
    assert dataset.table("held").num_rows == 2


@pytest.fixture(scope="module")
def bare() -> weltigen.World:
    """Tables of thirty fields; each name in the types of its concepts, texts in rooms of all widths, by turns."""
    turns: dict[int, list[str]] = {}  # the first type of each name, the second, and so on
    for at, name in enumerate(names()[::STEP]):
        kinds = sorted({kind for one in matching(tuple(name.split("_"))) for kind in one.concept.types} & set(SPELLED))
        for turn, kind in enumerate(kinds):
            turns.setdefault(turn, []).append(f'"{name}" {SPELLED[kind].format(ROOMS[(at + turn) % len(ROOMS)])}')
    tables = [columns[first : first + 30] for columns in turns.values() for first in range(0, len(columns), 30)]
    lines = [f"CREATE TABLE t{at} (k_ integer PRIMARY KEY, {', '.join(table)});" for at, table in enumerate(tables)]
    return weltigen.read_model("\n".join(lines), dialect="postgresql")


def test_every_name_is_filled_with_what_its_type_holds(bare: weltigen.World) -> None:
    dataset = bare.dataset(rows={entity.name: 12 for entity in bare.declared.entities})
    guessed = fields = 0
    for entity in bare.declared.entities:
        table = dataset.table(entity.name)
        for field in entity.fields:
            column = table[field.name].drop_null()
            fields += 1
            guessed += field.guess is not None and field.guess.confidence >= 0.6
            assert table.schema.field(field.name).type == field.type.stored.arrow(), (entity.name, field.name)
            if (room := field.type.stored.length) is not None and field.type.stored.name in TEXTS and len(column):
                assert pc.max(pc.utf8_length(column)).as_py() <= room, (field.name, field.type)
            if field.type.name is TypeName.JSON:
                for text in column.to_pylist():
                    json.loads(text)
            if field.type.name in (TypeName.UUID, TypeName.INET):
                list(map(UUID if field.type.name is TypeName.UUID else ip_interface, column.to_pylist()))
    assert fields > 1500 and guessed > 0.75 * fields
