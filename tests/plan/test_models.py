"""Properties that hold for every model: checked over many that nobody tuned for."""

from __future__ import annotations

import os
import sqlite3
from itertools import pairwise
from pathlib import Path

import pyarrow as pa
import pytest

import weltigen
from weltigen.stored.floats import widened_rows

from ..models import make_model

MODELS = int(os.environ.get("WELTIGEN_MODELS", "20"))
FAILED = (619, 850, 904)  # seeds that once found a fault


def opened(seed: int, folder: Path) -> weltigen.World:
    made = make_model(seed)
    (folder / "model.sql").write_text(made.sql + made.special)
    (folder / "world.yaml").write_text(made.yaml)
    return weltigen.open_world(folder / "world.yaml")


@pytest.mark.parametrize("seed", [*range(MODELS), *FAILED])
def test_every_model_is_filled_as_its_rules_demand_in_any_batching(seed: int, tmp_path: Path) -> None:
    world = opened(seed, tmp_path)
    dataset = world.dataset(seed=seed)
    assert not world.notices and not dataset.plan.notes
    receipt = dataset.write(tmp_path / "out.sqlite", workers=2)  # SQLite itself enforces every constraint
    report = weltigen.audit(world, tmp_path / "out.sqlite")
    assert (list(map(str, report)), report.unchecked) == ([], ())
    with sqlite3.connect(tmp_path / "out.sqlite") as connection:
        assert connection.execute("PRAGMA foreign_key_check").fetchall() == []
    connection.close()
    together: dict[str, list[pa.RecordBatch]] = {name: [] for name in dataset.counts}
    for name, batch in dataset.all_batches(size=23, workers=2):
        together[name].append(batch)
    for name, total in dataset.counts.items():
        whole = dataset.table(name)
        assert whole.num_rows == total == receipt.rows[name]
        for pieces in (list(dataset.batches(name, size=11, workers=2)), together[name]):
            assert pa.Table.from_batches(pieces, schema=whole.schema).equals(whole)
            assert len({piece.num_rows for piece in pieces[:-1]}) < 2
        for ordinal in range(0, total, max(1, total // 4)):
            assert dict(dataset.row(name, ordinal)) == widened_rows(whole.slice(ordinal, 1))[0]
        assert dataset.digest(name) == receipt.digests[name]


@pytest.mark.parametrize("seed", range(0, MODELS, 6))
def test_both_ends_of_every_relationship_agree(seed: int, tmp_path: Path) -> None:
    dataset = opened(seed, tmp_path).dataset()
    for entity in dataset.plan.world.entities:
        rows = dataset.table(entity.name).to_pylist()
        for relation in entity.relations:
            for ordinal in range(0, len(rows), 5):
                parent = dataset.row(entity.name, ordinal).parent(relation.name)
                keys = [rows[ordinal][column] for column in relation.columns]
                assert (parent is None) == (None in keys)
                if parent is not None:
                    assert [parent[column] for column in relation.target_columns] == keys
                    assert ordinal in parent.child_ordinals(entity.name, relation.name)


@pytest.mark.parametrize("seed", range(1, MODELS, 8))
def test_adding_an_entity_a_relation_or_a_field_changes_no_other_value(seed: int, tmp_path: Path) -> None:
    before = opened(seed, tmp_path).dataset()
    counts = {name: before.plan.entities[name].generated for name in before.counts if before.plan.entities[name].owner is None}
    sql = tmp_path / "model.sql"
    target = before.plan.world.entities[0]
    sql.write_text(sql.read_text() + f"ALTER TABLE {target.name} ADD COLUMN extra_day date;\n"
                   "CREATE TABLE newcomer (newcomer_id integer PRIMARY KEY, name text NOT NULL);\n"
                   f"ALTER TABLE {target.name} ADD COLUMN newcomer_id integer REFERENCES newcomer;\n"
                   f"CREATE TABLE guest (guest_id integer PRIMARY KEY, newcomer_id integer NOT NULL REFERENCES newcomer);\n")  # fmt: skip
    after = weltigen.open_world(tmp_path / "world.yaml").dataset(rows=counts)
    for name in before.counts:
        old = before.table(name)
        assert after.table(name).select(old.schema.names).equals(old), name


@pytest.mark.parametrize("seed", range(2, MODELS, 12))
def test_a_seed_gives_the_same_bytes_and_another_seed_gives_others(seed: int, tmp_path: Path) -> None:
    world = opened(seed, tmp_path)
    first, again, other = (world.dataset(seed=s) for s in (seed, seed, seed + 1))
    digests = [[dataset.digest(name) for name in dataset.counts] for dataset in (first, again, other)]
    assert digests[0] == digests[1]
    varied = [n for n, name in enumerate(first.counts) if first.counts[name] > 3]
    assert not varied or any(digests[0][n] != digests[2][n] for n in varied)


@pytest.mark.parametrize("seed", range(3, MODELS, 12))
def test_what_must_exist_first_comes_first(seed: int, tmp_path: Path) -> None:
    plan = opened(seed, tmp_path).plan()
    place = {name: at for at, name in enumerate(plan.order)}
    assert set(place) == set(plan.world.entity_names)
    broken = {id(cycle.broken_at) for cycle in plan.cycles}
    relations = {relation.label: relation for entity in plan.entities.values() for relation in entity.entity.relations}
    for relation in relations.values():
        if relation.target != relation.entity and id(relation) not in broken:
            assert place[relation.target] < place[relation.entity]
    for cycle in plan.cycles:
        assert cycle.broken_at is not None
        assert all(
            any(r.entity == a and r.target == b for r in relations.values())
            for a, b in pairwise([*cycle.members, cycle.members[0]])
        )
