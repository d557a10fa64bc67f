"""What we write as a script is read again as the model that it was written from: tables, keys, rules, and the rows as fixed rows."""

from __future__ import annotations

from pathlib import Path

import pytest

import weltigen
from weltigen.model import Entity, World

from ..infer.rewriting import HABITS, MODELS, told

DIALECTS = ("postgresql", "mariadb", "sqlite")


def declared(path: Path) -> weltigen.World:
    """A model with references: those that are only named are declared in the script that is written."""
    return weltigen.read_model(told(weltigen.read_model(path.read_text("utf-8")).declared, HABITS["snake"]), dialect="postgresql")


def columns_of(entity: Entity) -> list[tuple[str, bool]]:
    return [(field.name, field.nullable) for field in entity.fields]


def ends_of(world: World) -> set[tuple[str, tuple[str, ...], str, tuple[str, ...]]]:
    return {(e.name, r.columns, r.target, r.target_columns) for e in world.entities for r in e.relations}


@pytest.mark.parametrize("path", MODELS, ids=lambda path: path.stem)
def test_a_script_that_we_write_is_read_as_its_model(path: Path, tmp_path: Path) -> None:
    world = declared(path)
    dataset = world.dataset(rows={entity.name: 6 for entity in world.declared.entities})
    for dialect in {DIALECTS[0], DIALECTS[MODELS.index(path) % 3]}:
        dataset.write(tmp_path / f"{dialect}.sql", format=dialect)
        again = weltigen.open_world(tmp_path / f"{dialect}.sql", dialect=dialect).declared
        same_model(again, world.declared, dataset)


def same_model(again: World, model: World, dataset: weltigen.Dataset) -> None:
    assert set(again.entity_names) == set(model.entity_names)
    for entity in model.entities:
        found = again.entity(entity.name)
        assert columns_of(found) == columns_of(entity) and found.key == entity.key, entity.name
        assert {rule.columns for rule in found.unique_rules} == {rule.columns for rule in entity.unique_rules}, entity.name
        assert len(found.fixed) == 6 and [dict(row)[entity.key[0]] for row in found.fixed if entity.key] == [
            str(value) if not isinstance(value, str) else value
            for value in dataset.table(entity.name)[entity.key[0]].to_pylist()
            if entity.key
        ], entity.name
    assert ends_of(model) <= ends_of(again)
