"""Texts that a database takes for equal: unique rules are kept as the database itself compares, which is asked."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import pytest
import sqlalchemy

import weltigen
from weltigen.model.problems import ImpossibleError

COLUMNS = """CREATE TABLE buoy (
    buoy_id integer PRIMARY KEY, code {code} NOT NULL UNIQUE, exact_code {exact} NOT NULL UNIQUE, port integer NOT NULL,
    mark {code} NOT NULL CHECK (mark IN ('n', 'N', 's', 'S', 'w', 'e', 'E')), UNIQUE (port, mark)
);
INSERT INTO buoy (buoy_id, code) VALUES (1, 'VP'), (2, 'aa');
"""
YAML = """weltigen: 3
model: harbour.sql
entities:
  buoy: {rows: 660, fields: {code: {pattern: "[A-Za-z]{2}"}, exact_code: {pattern: "[A-Za-z]{2}"}, port: {minimum: 1, maximum: 200}}}
"""
DIALECTS = {
    "mariadb": ("varchar(3)", "varchar(3) COLLATE utf8mb4_bin", ""),
    "postgresql": ("citext", "varchar(3)", "CREATE EXTENSION IF NOT EXISTS citext;\n"),
    "sqlite": ("text COLLATE NOCASE", "text", "PRAGMA foreign_keys = ON;\n"),
}


def opened(dialect: str, write: Callable[[str, str], Path], yaml: str = YAML) -> weltigen.World:
    code, exact, before = DIALECTS[dialect]
    return weltigen.open_world(write(yaml, before + COLUMNS.format(code=code, exact=exact)), dialect=dialect)


@pytest.mark.parametrize("dialect", DIALECTS)
def test_a_database_finds_no_two_values_equal(
    dialect: str, request: pytest.FixtureRequest, world_file: Callable[[str, str], Path], tmp_path: Path
) -> None:
    world = opened(dialect, world_file)
    dataset = world.dataset().next_stage(rows={"buoy": 12})  # 674 of the 676 codes that differ, one of them given by hand
    rows = dataset.frame("buoy").to_dict("records")
    url = f"sqlite:///{tmp_path / 'asked.sqlite'}" if dialect == "sqlite" else request.getfixturevalue(f"{dialect}_database")
    engine = sqlalchemy.create_engine(url)
    code, exact, before = DIALECTS[dialect]
    with engine.begin() as connection:
        for statement in (before + COLUMNS.format(code=code, exact=exact)).split(";\n"):
            if statement.startswith("CREATE"):
                connection.execute(sqlalchemy.text(statement))
        columns = ", ".join(rows[0])
        marks = ", ".join(f":{name}" for name in rows[0])
        connection.execute(sqlalchemy.text(f"INSERT INTO buoy ({columns}) VALUES ({marks})"), rows)  # it compares
        assert connection.execute(sqlalchemy.text("SELECT count(*) FROM buoy")).scalar() == 674
    engine.dispose()
    lower = {row["exact_code"].lower() for row in rows}
    assert len(lower) < len(rows)  # there case tells apart
    for target in ("out.sqlite", "out"):
        dataset.write(tmp_path / target)
        assert list(map(str, weltigen.audit(world, tmp_path / target))) == []
    table = (tmp_path / "out" / "buoy.csv").read_text()
    assert '"VP"' in table
    (tmp_path / "out" / "buoy.csv").write_text(table.replace('"VP"', '"AA"'))
    assert any("unique (code)" in str(finding) for finding in weltigen.audit(world, tmp_path / "out"))


@pytest.mark.parametrize(
    ("change", "said"),
    [
        (("rows: 660", "rows: 700"), "unique (code) has only 676 values of code"),
        (("rows: 660", "rows: 660, fixed: [{buoy_id: 9, code: VX}, {buoy_id: 8, code: vx}]"), "compares in any case"),
        (("rows: 660", "rows: 660, fixed: [{buoy_id: 9, code: VIP}]"), "code VIP, which the pattern [A-Za-z]{2} does not allow"),
    ],
)  # fmt: skip
def test_what_cannot_differ_is_told(change: tuple[str, str], said: str, world_file: Callable[[str, str], Path]) -> None:
    with pytest.raises(ImpossibleError) as raised:
        opened("sqlite", world_file, YAML.replace(*change)).dataset()
    assert said in str(raised.value)
