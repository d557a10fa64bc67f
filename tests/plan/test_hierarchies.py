"""What refers to rows of its own table is a hierarchy: no row is its own ancestor, whichever rules hold the reference."""

from __future__ import annotations

from pathlib import Path

import pytest

import weltigen

RULES = [
    "CHECK (rank > 0)",
    "UNIQUE (parent_id)",
    "UNIQUE (parent_id, rank)",
    "UNIQUE (parent_id, side)",
    "UNIQUE (parent_id, code), UNIQUE (parent_id, rank)",
    "UNIQUE (parent_id, name)",
    "UNIQUE (pier_id, parent_id, name)",
    "UNIQUE (parent_id, pier_id)",
    "UNIQUE (parent_id, side, level)",
    "UNIQUE (code, parent_id, rank), UNIQUE (pier_id, code)",
]


@pytest.mark.parametrize("rules", RULES)
@pytest.mark.parametrize("rows", [1, 7, 300])
@pytest.mark.parametrize("needed", ["", " NOT NULL"])
def test_no_row_is_its_own_ancestor(rules: str, rows: int, needed: str, tmp_path: Path) -> None:
    """A row without a parent refers to none; where it must refer to one, to itself."""
    sql = f"""CREATE TABLE pier (id integer PRIMARY KEY);
    CREATE TABLE dock (id integer PRIMARY KEY, pier_id integer NOT NULL REFERENCES pier, parent_id integer{needed} REFERENCES dock,
      code varchar(100), name varchar(100) NOT NULL, rank smallint NOT NULL, level smallint NOT NULL,
      side char(1) NOT NULL CHECK (side IN ('N', 'E', 'S', 'W')), path varchar(4000) NOT NULL, {rules});"""
    world = weltigen.read_model(sql, dialect="postgresql")
    dataset = world.dataset(rows={"pier": 9, "dock": rows}, seed=rows)
    dataset.write(tmp_path / "out.sqlite")
    assert not list(map(str, weltigen.audit(world, tmp_path / "out.sqlite")))
    made = dataset.table("dock").to_pylist()
    above = {row["id"]: row["parent_id"] if row["parent_id"] != row["id"] else None for row in made}
    paths = {row["id"]: row["path"] for row in made}
    roots = [one for one, parent in above.items() if parent is None]
    chain = "(parent_id)" in rules
    assert 1 <= len(roots) <= max(1, rows // 4) or (chain and needed), "few have no parent"
    for row in made:
        seen, at = [row["id"]], above[row["id"]]
        while at is not None:
            assert at not in seen, (rules, seen)
            seen.append(at)
            at = above[at]
        if not chain and not needed:  # along a chain nothing is worked out from the row before
            assert paths[row["id"]] == "".join(f"/{one}" for one in reversed(seen))
    if "(parent_id, rank)" in rules:
        for parent in {row["parent_id"] for row in made} - {None}:
            ranks = [row["rank"] for row in made if row["parent_id"] == parent]
            assert sorted(ranks) == list(range(1, len(ranks) + 1)), "positions count up among the children of a row"
