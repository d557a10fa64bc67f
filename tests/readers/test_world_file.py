"""The world file: what it wishes reaches the world; every mistake is told with line, column and the nearest right word."""

from __future__ import annotations

import json
import re
from collections.abc import Callable
from pathlib import Path
from random import Random
from typing import Any

import jsonschema
import pytest
from pydantic import TypeAdapter
from ruamel.yaml import YAML

import weltigen
from weltigen.model import EVEN, ConstSource, Favour, KindSource, PerOwner, RowCount, ShapeSource, WeightsSource
from weltigen.readers.grammar import json_schema
from weltigen.readers.world_json import world_from_receipt, world_to_json
from weltigen.readers.yaml_tree import read_yaml

from ..conftest import FERRY, Done
from ..infer.rewriting import MODELS

WISHES = """
weltigen: 3
model: harbour.sql
seed: 5
window: [2024-01-01, 2024-07-01]
entities:
  pier:
    fixed:
      - {pier_id: 1, name: "Old Quay", slug: old-quay, length_m: 12.50}
    rows: 20
    fields:
      name: {kind: place-name}
      length_m: {minimum: 10, exclusiveMaximum: 80, multipleOf: 0.5}
  boat:
    rows: {per: pier, mean: 3, most: 8, none: 10%}
    references:
      towed_by: {present: 25%, favour: {few: 5%, take: 60%}}
    fields:
      name: {weights: {Gannet: 3, Tern: 1}}
      berth: {maximum: 12}
      built_on: {before: 2024-03-01}
      sunk_on: {after: built_on, within: 90 days, present: "name = 'Tern'"}
  licence:
    rows: {per: boat, most: 1, mean: 0.5}
    references: {boat: {favour: even}}
    fields:
      fee: {shape: {skewed: {median: 20, p95: 90}}}
      issued_at: {const: 2024-02-02}
"""


def test_every_wish_reaches_the_world(world_file: Callable[..., Path]) -> None:
    world = weltigen.open_world(world_file(WISHES))
    pier, boat, licence = (world.entity(name) for name in ("pier", "boat", "licence"))
    assert (world.seed, world.declared.window) == (5, ("2024-01-01", "2024-07-01"))
    assert dict(pier.fixed[0])["length_m"] == "12.50"
    assert isinstance(pier.rows, RowCount) and pier.rows.number == 20
    assert [str(bound) for bound in pier.field("length_m").limits.bounds] == [">= 10", "< 80", ">= 5", "<= 90"]
    assert isinstance(boat.rows, PerOwner) and (boat.rows.per, boat.rows.lowest, boat.rows.highest, boat.rows.none) == (
        "pier",
        1,
        8,
        0.1,
    )
    assert boat.relation("towed_by").favour == Favour(few=0.05, take=0.6)
    assert licence.relation("boat").favour == EVEN
    sources = {name: boat.field(name).source for name in ("name", "berth")}
    assert isinstance(sources["name"], WeightsSource) and isinstance(sources["berth"], KindSource)
    assert isinstance(licence.field("fee").source, ShapeSource) and isinstance(licence.field("issued_at").source, ConstSource)
    assert isinstance(pier.field("name").source, KindSource) and pier.field("name").guess is None
    assert (boat.field("sunk_on").limits.bounds[0].within, boat.field("sunk_on").present.when) == ("90 days", "name = 'Tern'")


def test_wishes_show_in_the_data(world_file: Callable[..., Path]) -> None:
    dataset = weltigen.open_world(world_file(WISHES)).dataset()
    pier, boat, licence = (dataset.frame(name) for name in ("pier", "boat", "licence"))
    assert pier.iloc[0]["name"] == "Old Quay" and len(pier) == 21
    assert ((pier["length_m"] >= 10) & (pier["length_m"] < 80) & (pier["length_m"] * 2 % 1 == 0)).all()
    assert boat["pier_id"].value_counts().max() <= 8
    assert set(boat["name"]) == {"Gannet", "Tern"} and boat["berth"].max() <= 12
    assert (boat["sunk_on"].notna() == (boat["name"] == "Tern")).all()
    lengths = [(s - b).days for s, b in zip(boat["sunk_on"], boat["built_on"], strict=True) if s == s and s is not None]
    assert lengths and min(lengths) >= 1 and max(lengths) <= 90
    assert licence["issued_at"].nunique() == 1 and licence["boat_id"].is_unique


def test_rows_may_follow_from_the_rows_of_others(world_file: Callable[..., Path], run: Callable[..., Done]) -> None:
    path = world_file(
        "weltigen: 3\nmodel: harbour.sql\nentities:\n  pier: {rows: round(count(boat) / 7.0)}\n"
        "  licence: {rows: 'least(5, count(pier)) - 1', fixed: [{}]}\n  boat: {rows: 32}\n"
    )
    world = weltigen.open_world(path)
    assert world.dataset().counts == {"pier": 5, "boat": 32, "licence": 5}
    assert world.dataset(times=10).counts == {"pier": 46, "boat": 320, "licence": 5}
    assert world.dataset(rows={"pier": 2}).counts == {"pier": 2, "boat": 32, "licence": 2}
    told = run("explain", path, "--rows", "boat=111").out
    assert "16  round(count(boat) / 7.0), set in the world file" in told


def test_a_world_file_can_declare_a_model_itself(tmp_path: Path) -> None:
    path = tmp_path / "own.yaml"
    path.write_text("""
weltigen: 3
entities:
  buoy:
    key: [buoy_id]
    unique: [[code]]
    rows: 50
    fields:
      buoy_id: {type: integer}
      code: {type: "char(4)", null: false, pattern: "[A-Z][0-9]{3}"}
      depth: {type: "numeric(5,1)", minimum: 2, maximum: 40}
  reading:
    rows: {per: buoy, each: 4}
    key: [reading_id]
    references: {buoy: {to: buoy}}
    checks: ["metres <> 3"]
    fields:
      reading_id: {type: bigint}
      metres: {type: integer, null: false, minimum: 1, maximum: 4}
""")
    world = weltigen.open_world(path)
    readings = world.dataset().frame("reading")
    assert readings["buoy_id"].value_counts().tolist() == [4] * 50
    assert set(readings["metres"]) == {1, 2, 4}
    assert world.dataset().write(tmp_path / "own.sqlite").total == 250
    assert not weltigen.audit(world, tmp_path / "own.sqlite")


def test_fixed_rows_may_stand_in_a_file_of_their_own(world_file: Callable[..., Path]) -> None:
    path = world_file("weltigen: 3\nmodel: harbour.sql\nentities:\n  pier: {fixed: piers.csv, rows: 3}\n")
    (path.parent / "piers.csv").write_text('pier_id,name,slug\n7,"Quay, the old",old\n8,Inner,inner\n')
    pier = weltigen.open_world(path).dataset(rows={"boat": 5}).frame("pier")
    assert pier["name"].tolist()[:2] == ["Quay, the old", "Inner"]
    assert pier["pier_id"].is_unique and pier["length_m"].notna().all()


BASE = "weltigen: 3\nmodel: harbour.sql\nentities:\n"
MISTAKES = [
    ("model: harbour.sql\n", 1, "'weltigen' is missing"),
    ("weltigen: 4\nmodel: harbour.sql\n", 1, "format 4 is not known"),
    ("weltigen: 1\nmodel: harbour.sql\n", 1, "format 1 is no longer made"),
    ("weltigen: 3\nmodel: harbour.sql\ntables: {}\n", 3, "no key is called 'tables' here; did you mean 'entities'?"),
    ("weltigen: 3\nweltigen: 3\n", 2, "'weltigen' stands here twice"),
    ("weltigen: 3\nentities: {pier: [}\n", 2, "YAML that cannot be read: a value should stand here"),
    ("weltigen: 3\nentities:\n  pier:\n    rows: 3\n   x: 1\n", 5, "a key should stand here … keys of one mapping begin in one column"),
    ("weltigen: 3\nentities: {pier: [\n\n", 4, "what is opened at line 2 is not closed"),
    ("weltigen: 3\nentities:\n\tpier: {}\n", 3, "indent with spaces, not with a tab"),
    ("weltigen: 3\n# Fähre\x07\n", 2, "the character U+0007 is not allowed"),
    ("weltigen: 3\n---\nweltigen: 3\n", 2, "take out the lines that are only ---"),
    ("weltigen: 3\n", 1, "neither a model nor entities are declared"),
    ("weltigen: 3\nmodel: harbor.sql\n", None, "cannot be read: no such file or directory; did you mean 'harbour.sql'?"),
    ("weltigen: 3\nmodel: harbour.sql\nwindow: [2024-01-01, 2023-01-01]\n", 3, "the window ends (2023-01-01) before it begins"),
    ("weltigen: 3\nmodel: harbour.sql\nlanguage: xx\n", 3, "no names are known for language 'xx'"),
    (BASE + "  peir: {rows: 3}\n", 4, "no entity of that name in the model; did you mean 'pier'?"),
    (BASE + "  pier: {columns: {}}\n", 4, "pier: no key is called 'columns' here; did you mean 'fields'?"),
    (BASE + "  pier: {rows: many}\n", 4, "pier.rows: 'many' is not a number of rows"),
    (BASE + "  pier: {rows: 2.5}\n", 4, "'2.5' is not a whole number"),
    (BASE + "  pier: {rows: -3}\n", 4, "-3 rows cannot be"),
    (BASE + "  boat: {rows: 2 * count(peir)}\n", 4, "boat.rows counts 'peir', which is not an entity; did you mean 'pier'?"),
    (BASE + "  boat: {rows: sum(pier)}\n", 4, "boat.rows: 'pier' is not a number of rows"),
    (BASE + "  pier:\n    fields: {nam: {const: x}}\n", 5, "no field of that name; did you mean 'name'?"),
    (BASE + "  pier:\n    fields: {name: {kind: place-nam}}\n", 5, "no kind of value is called 'place-nam'; did you mean 'place-name'?"),
    (BASE + "  pier:\n    fields: {length_m: {kind: email}}\n", 5, "kind email cannot fill length_m, which is numeric(5,1)"),
    (BASE + "  pier:\n    fields: {name: {kind: {slug: {off: name}}}}\n", 5, "kind slug has no parameter 'off'; did you mean 'of'?"),
    (BASE + "  pier:\n    fields: {name: {const: a, pattern: b}}\n", 5, "pier.name has two sources: const and pattern"),
    (BASE + "  pier:\n    fields: {length_m: {maximum: tall}}\n", 5, "pier has no field 'tall'"),
    (BASE + "  boat:\n    fields: {built_on: {after: 2024-02-30}}\n", 5, "'2024-02-30' is not a valid date"),
    (BASE + "  boat:\n    fields: {built_on: {after: peir.length_m}}\n", 5, "boat refers to no 'peir'; did you mean 'pier'?"),
    (BASE + "  boat:\n    fields: {built_on: {within: 3 months}}\n", 5, "'3 months' is not a span"),
    (BASE + "  boat:\n    fields: {sunk_on: {present: 140%}}\n", 5, "a share lies between 0 and 1"),
    (BASE + '  boat:\n    fields: {sunk_on: {present: "brth = 1"}}\n', 5, "boat has no field 'brth'; did you mean 'berth'?"),
    (BASE + "  boat:\n    fields: {name: {present: 50%}}\n", 5, "boat.name must not be null, so it is always present"),
    (BASE + "  boat:\n    fields: {berth: {weights: {one: 1}}}\n", 5, "'one' is not a valid smallint"),
    (BASE + "  boat:\n    rows: {per: peir, mean: 2}\n", 5, "boat does not refer to 'peir'; did you mean 'pier'?"),
    (BASE + "  boat:\n    rows: {per: pier, maen: 2}\n", 5, "boat.rows: no key is called 'maen' here; did you mean 'mean'?"),
    (BASE + "  boat:\n    rows: {per: pier, least: 9, most: 2}\n", 5, "none can be both"),
    (BASE + "  boat:\n    references: {peir: {favour: even}}\n", 5, "no relationship of that name; did you mean 'pier'?"),
    (BASE + "  boat:\n    references: {pier: {favour: {few: 50%, take: 10%}}}\n", 5, "can take no less than their own share"),
    (BASE + "  boat:\n    checks: ['berth >']\n", 5, "is not an SQL expression"),
    (BASE + "  pier:\n    fixed: [{pier_id: x}]\n", 5, "'x' is not a valid integer"),
    (BASE + "  pier:\n    fixed: [{name: null}]\n", 5, "pier.name must not be null"),
    (BASE + "  licence:\n    fields: {fee: {shape: {skewed: {median: 2}}}}\n", 5, "shape skewed takes: median, p95"),
]  # fmt: skip


@pytest.mark.parametrize(("yaml", "line", "said"), MISTAKES, ids=[said[:40] for _, _, said in MISTAKES])
def test_a_mistake_is_told_with_its_place_and_the_right_word(
    world_file: Callable[..., Path], yaml: str, line: int | None, said: str
) -> None:
    with pytest.raises(weltigen.WeltigenError) as error:
        weltigen.open_world(world_file(yaml))
    problem = error.value.problems[0]
    assert all(part in f"{problem.fact}; {problem.hint}" for part in said.split(" … "))
    assert error.value.exit_code == 2
    assert problem.place is not None
    if line is not None:
        assert (problem.place.line, problem.place.column is not None) == (line, True)


def test_all_mistakes_of_a_file_come_together(world_file: Callable[..., Path]) -> None:
    yaml = BASE + "  peir: {rows: 3}\n  boat:\n    rows: {per: peir}\n    fields: {nam: {const: x}, berth: {kind: emial}}\n"
    with pytest.raises(weltigen.WeltigenError) as error:
        weltigen.open_world(world_file(yaml))
    assert [problem.place.line for problem in error.value.problems if problem.place] == [4, 6, 7, 7]


def test_a_damaged_world_file_is_told_with_its_place_or_still_means_something(tmp_path: Path) -> None:
    """Lines lost, doubled, moved in or out, words swapped, signs lost or doubled: never a fault of our own."""
    (tmp_path / "ferry.sql").write_text(FERRY.with_name("ferry.sql").read_text())
    path, whole, told = tmp_path / "ferry.yaml", FERRY.read_text(), 0
    for seed in range(150):
        chance = Random(seed)
        lines = whole.splitlines()
        at = chance.randrange(len(lines))
        words = re.findall(r"\w+", whole)
        lines[at] = chance.choice([
            "", f"{lines[at]}\n{lines[at]}", f"  {lines[at]}", lines[at][1:], re.sub(r"\w+", chance.choice(words), lines[at], count=1),
            re.sub(r"\d+", "-1", lines[at]), re.sub(r"[:{}\[\],]", "", lines[at], count=1), lines[at].replace(": ", ": ["), f"{lines[at]}\x00",
            lines[at].replace(chance.choice(words), chance.choice(words)),
        ])  # fmt: skip
        path.write_text("\n".join(lines))
        try:
            weltigen.open_world(path).plan().check()
        except weltigen.WeltigenError as error:
            told += 1
            assert error.problems and all(p.place is not None and p.fact for p in error.problems), lines[at]
    assert told > 50


def test_yaml_is_read_alike_with_and_without_libyaml(monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> None:
    """What stands where, in the ferry world, in a draft and in what YAML allows; and that each of these breaks when it is cut."""
    drafted = weltigen.draft(FERRY.with_suffix(".sql"), tmp_path / "drafted.yaml").text
    odd = "# Fähre\na: >-\n  folded\n  text\nb: |\n  kept\n\n  so\nc: {d: [1, 'two', \"th\\u00fcr\"], e: , f: ~}\ng: &x [k, *x]\n"
    texts = [FERRY.read_text("utf-8"), drafted, odd.replace("*x", "k")]
    texts += [text[:end] for text in texts for end in range(40, len(text), len(text) // 12)]

    def told(text: str) -> Any:
        try:
            tree = read_yaml(text, "world.yaml")
        except weltigen.WeltigenError as error:
            return [
                problem.place is not None for problem in error.problems
            ]  # one of them tells the end of a line, the other its next
        return tree.data, {path: str(place) for path, place in tree.places.items()}, tree.quoted

    fast = [told(text) for text in texts]
    monkeypatch.setattr("yaml.__with_libyaml__", False)
    assert [told(text) for text in texts] == fast and sum(isinstance(one, list) for one in fast) > 5


def test_the_shipped_json_schema_is_the_grammar_and_accepts_the_ferry_world() -> None:
    shipped = Path(weltigen.__file__).parent / "readers" / "world-file.schema.json"
    assert json.loads(shipped.read_text("utf-8")) == json_schema()
    validator = jsonschema.Draft202012Validator(json_schema())
    ferry = json.loads(json.dumps(YAML(typ="safe", pure=True).load(FERRY.read_text("utf-8")), default=str))
    assert list(validator.iter_errors(ferry)) == []
    ferry["entities"]["port"]["feilds"] = {}
    assert len(list(validator.iter_errors(ferry))) == 1


def test_a_world_survives_its_way_through_a_receipt(ferry: weltigen.World) -> None:
    text = json.dumps({"world": world_to_json(ferry.declared)})
    assert weltigen.World(world_from_receipt(text, "receipt.json")) == ferry


@pytest.mark.parametrize("path", MODELS, ids=lambda path: path.stem)
def test_a_world_is_written_as_its_types_say_and_read_again_the_same(path: Path) -> None:
    """Guesses, formulas, bounds, weights and places included, as a plan has them."""
    planned = weltigen.read_model(path.read_text("utf-8")).plan().world
    written = world_to_json(planned)
    adapter = TypeAdapter(type(planned))
    assert json.dumps(written) == json.dumps(adapter.dump_python(planned, mode="json", exclude_defaults=True))
    assert adapter.validate_python(json.loads(json.dumps(written))) == planned
