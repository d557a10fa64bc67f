"""What SQLite refuses to store, the audit finds where nothing refuses it: one cell changed at a time, in random models."""

from __future__ import annotations

import sqlite3
from pathlib import Path
from random import Random
from typing import Any

import pyarrow as pa
import pyarrow.parquet as parquet
import pytest

import weltigen

from ..models import make_model

CHANGES = 25


def refused(connection: sqlite3.Connection, table: pa.Table, entity: Any, column: str, row: int, value: Any) -> bool:
    """Whether SQLite keeps the change out by a rule of its own; the change is undone."""
    keys = [table[name][row].as_py() for name in entity.key]
    where = " AND ".join(f"{name} = ?" for name in entity.key)
    plain = [item if item is None or isinstance(item, int | float) else str(item) for item in (value, *keys)]
    try:
        changed = connection.execute(f"UPDATE {entity.name} SET {column} = ? WHERE {where}", plain).rowcount
        assert changed == 1, (entity.name, keys)
        return bool(connection.execute("PRAGMA foreign_key_check").fetchall())
    except sqlite3.IntegrityError:
        return True
    finally:
        connection.rollback()


@pytest.mark.parametrize("seed", range(700, 703))
def test_a_cell_that_a_database_would_refuse_is_found(seed: int, tmp_path: Path) -> None:
    made, chance = make_model(seed), Random(seed)
    (tmp_path / "model.sql").write_text(made.sql)
    (tmp_path / "world.yaml").write_text(made.yaml)
    world = weltigen.open_world(tmp_path / "world.yaml")
    dataset = world.dataset()
    dataset.write(tmp_path / "rows", format="parquet")
    dataset.write(tmp_path / "rows.sqlite")
    connection = sqlite3.connect(tmp_path / "rows.sqlite")
    connection.execute("PRAGMA foreign_keys = ON")
    found = 0
    for _ in range(CHANGES):
        entity = chance.choice([e for e in dataset.plan.world.entities if dataset.counts[e.name] > 1 and e.key])
        path = tmp_path / "rows" / f"{entity.name}.parquet"
        whole = parquet.read_table(path)
        column, row, other = chance.choice(entity.field_names), chance.randrange(whole.num_rows), chance.randrange(whole.num_rows)
        value = None if chance.random() < 0.4 else whole[column][other].as_py()
        if not refused(connection, dataset.table(entity.name), entity, column, row, value):
            continue
        cells = whole[column].to_pylist()
        cells[row] = value
        field = whole.schema.field(column).with_nullable(True)  # whoever breaks a rule does not tell the file
        at = whole.schema.get_field_index(column)
        parquet.write_table(whole.set_column(at, field, pa.array(cells, field.type)), path)
        report = weltigen.audit(world, tmp_path / "rows")
        assert {finding.entity for finding in report} & ({entity.name} | {r.entity for r in referring(dataset, entity.name)}), (
            column
        )
        parquet.write_table(whole, path)
        found += 1
    connection.close()
    assert found > 3
    assert not list(weltigen.audit(world, tmp_path / "rows"))


def referring(dataset: weltigen.Dataset, name: str) -> list[Any]:
    return [relation for entity in dataset.plan.world.entities for relation in entity.relations if relation.target == name]
