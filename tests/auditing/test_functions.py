"""Checks with functions that SQLite lacks are kept in its tables, answered by the audit, and found where rows break them."""

from __future__ import annotations

import sqlite3
from pathlib import Path

import pytest

import weltigen

CHECKS = {
    "left(code, 2) = 'BR'": ("code", "XR1234"),
    "right(code, 1) = 'X'": ("code", "BR1234"),
    "starts_with(code, 'S-')": ("code", "T-S-1"),
    "left(code, 1) = left(name, 1)": ("code", "~1"),
    "length(code) > 3 AND right(code, 2) <> '00'": ("code", "AB1200"),
}


@pytest.mark.parametrize("check", CHECKS)
def test_functions_of_texts_in_sqlite(check: str, tmp_path: Path) -> None:
    sql = f"CREATE TABLE berth (id integer PRIMARY KEY, name varchar(40) NOT NULL, code varchar(12) NOT NULL, CHECK ({check}));"
    world = weltigen.read_model(sql, dialect="postgresql")
    world.dataset(rows={"berth": 40}).write(tmp_path / "out.sqlite")
    report = weltigen.audit(world, tmp_path / "out.sqlite")
    assert (list(map(str, report)), report.unchecked) == ([], ())
    column, wrong = CHECKS[check]
    with sqlite3.connect(tmp_path / "out.sqlite") as database:
        with pytest.raises(sqlite3.IntegrityError):
            database.execute(f"UPDATE berth SET {column} = ? WHERE id = 7", [wrong])
        database.execute("PRAGMA ignore_check_constraints = ON")
        database.execute(f"UPDATE berth SET {column} = ? WHERE id = 7", [wrong])
    (finding,) = weltigen.audit(world, tmp_path / "out.sqlite")
    assert "id 7" in str(finding)
