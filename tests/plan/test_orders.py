"""References of which one goes to the greater key, texts in order, and checks that only other references can meet."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest

import weltigen
from weltigen.model.problems import ImpossibleError
from weltigen.planning.explaining.wording import filler_in_words
from weltigen.randomness.pairs import pair_at, pair_space

KEYS = ("integer", "varchar(9)", "uuid", "numeric(9, 2)")
SQL = """
CREATE TABLE keeper (code {key} PRIMARY KEY);
CREATE TABLE friendship (
    friendship_id integer PRIMARY KEY, a_code {key} NOT NULL REFERENCES keeper, b_code {key} {tail} REFERENCES keeper,
    turn smallint NOT NULL CHECK (turn BETWEEN 1 AND 30), CHECK (a_code {sign} b_code){rule}
);
"""


def opened(write: Callable[[str, str], Path], rows: str, **parts: str) -> weltigen.World:
    sql = SQL.format(**{"key": "integer", "tail": "NOT NULL", "sign": "<", "rule": "", **parts})
    yaml = f"weltigen: 3\nmodel: harbour.sql\nentities:\n  keeper: {{rows: {parts.get('keepers', 24)}}}\n  friendship: {{rows: {rows}}}\n"
    return weltigen.open_world(write(yaml, sql))


@pytest.mark.parametrize("things", [2, 3, 8, 9, 40])
def test_every_unordered_pair_has_one_place(things: int) -> None:
    rows, columns = pair_space(things)
    row, column = (axis.ravel() for axis in np.meshgrid(np.arange(rows), np.arange(columns)))
    low, high = pair_at(row, column, things)
    assert (low < high).all() and len(set(zip(low.tolist(), high.tolist(), strict=True))) == rows * columns == things * (
        things - 1
    ) // 2


@pytest.mark.parametrize("key", KEYS)
@pytest.mark.parametrize(
    ("rows", "parts"),
    [
        ("276", {"rule": ", UNIQUE (a_code, b_code)"}),  # all pairs of 24 that there are
        ("300", {"rule": ", UNIQUE (b_code, a_code)", "sign": "<="}),
        ("253", {"rule": ", UNIQUE (a_code, b_code)", "sign": ">", "keepers": "23", "tail": ""}),
        ("400", {"tail": ""}),
        ("200", {"rule": ", UNIQUE (a_code, turn)"}),
        ("200", {"rule": ", UNIQUE (a_code, b_code), UNIQUE (b_code, turn)"}),
        ("{per: a_code, least: 0, most: 1}", {"sign": "<="}),
    ],
)  # fmt: skip
def test_the_one_reference_goes_to_the_greater_key(
    key: str, rows: str, parts: dict[str, str], world_file: Callable[[str, str], Path], tmp_path: Path
) -> None:
    world = opened(world_file, rows, key=key, **parts)
    dataset = world.dataset()
    dataset.write(tmp_path / "out.sqlite", workers=2)  # it keeps every check
    assert list(map(str, weltigen.audit(world, tmp_path / "out.sqlite"))) == []
    whole = dataset.table("friendship").to_pylist()
    assert [row for piece in dataset.batches("friendship", size=7) for row in piece.to_pylist()] == whole
    for ordinal in range(0, len(whole), 40):
        row = dataset.row("friendship", ordinal)
        parents = [row.parent(name) for name in ("a_code", "b_code")]
        assert dict(row) == whole[ordinal]
        assert [parent["code"] if parent is not None else None for parent in parents] == [row["a_code"], row["b_code"]]
    assert len({row["a_code"] for row in whole}) > 5


def test_checks_are_met_by_picking_other_rows(world_file: Callable[[str, str], Path], tmp_path: Path) -> None:
    sql = (
        "CREATE TABLE zone (zone_id integer PRIMARY KEY, code char(4) NOT NULL UNIQUE, level smallint NOT NULL);\n"
        "CREATE TABLE area (area_id integer PRIMARY KEY, level smallint NOT NULL);\n"
        "CREATE TABLE post (post_id integer PRIMARY KEY, zone_id integer NOT NULL REFERENCES zone, area_id integer REFERENCES area,"
        " code char(4) NOT NULL, CHECK (area_id <> zone_id), CHECK (zone_id <= post_id + 5));\n"
    )
    yaml = (
        "weltigen: 3\nmodel: harbour.sql\nentities:\n  zone: {rows: 20, fields: {code: {pattern: '[A-Z][0-9]{3}'}}}\n  area: {rows: 30}\n"
        "  post:\n    rows: 300\n    checks: [zone.level <= area.level]\n"
        "    fields: {code: {pattern: '[A-Z][0-9]{3}', after: zone.code}}\n"
    )
    world = weltigen.open_world(world_file(yaml, sql))
    dataset = world.dataset()
    dataset.write(tmp_path / "out.sqlite")
    report = weltigen.audit(world, tmp_path / "out.sqlite")
    assert (list(map(str, report)), report.unchecked) == ([], ())
    assert "another where a check fails" in str(filler_in_words(dataset.plan.entity("post"), "zone_id"))
    zone = dataset.row("post", 7).parent("zone")
    assert zone is not None and 7 in zone.child_ordinals("post")
    assert dict(dataset.row("post", 288)) == dataset.table("post").to_pylist()[288]


@pytest.mark.parametrize(
    ("rows", "rule", "said"),
    [
        ("277", ", UNIQUE (a_code, b_code)", "has only 276 pairs of keeper, of which a_code is the lower for 277 rows"),
        ("{per: b_code, least: 1, most: 1}", ", UNIQUE (a_code, b_code)", "find no free place"),  # the lowest has none below it
    ],
)  # fmt: skip
def test_more_than_there_are_is_told(rows: str, rule: str, said: str, world_file: Callable[[str, str], Path]) -> None:
    with pytest.raises(ImpossibleError) as raised:
        opened(world_file, rows, rule=rule).dataset().runtime.settle()
    assert said in str(raised.value)
