"""References that a model does not declare are found by their names and types, in any habit of naming, and no other column is taken
for one."""

from __future__ import annotations

import random
from dataclasses import dataclass, field
from pathlib import Path

import pytest

import weltigen

NOUNS = "harbour keeper lantern guild watch_log beacon tide_table crew_member crossing toll gate buoy_visit signal_mast repair_note ration".split()
PARTS = ["", "wk_", "tbl_", "coast_", "app_coast_"]
KEYS = {"integer": "integer", "bigint": "bigint", "uuid": "uuid", "varchar(26)": "varchar(26)"}
# columns that look like keys of nobody
DECOYS = [
    "external_id varchar(40)",
    "device_uuid uuid",
    "postcode varchar(9)",
    "correlation_id varchar(36)",
    "legacy_id bigint",
    "tax_id varchar(20)",
]


def camel(name: str) -> str:
    first, *rest = name.split("_")
    return first + "".join(word.capitalize() for word in rest)


@dataclass
class Habit:
    """How an application names tables, keys and the columns that refer to them."""

    part: str
    plural: bool
    camel: bool
    key: str
    named_keys: bool  # the key is called after its table
    told: dict[tuple[str, str], str] = field(default_factory=dict)  # by table and column, the table that is meant

    def table(self, noun: str) -> str:
        name = self.part + (f"{noun}s" if self.plural else noun)
        return camel(name) if self.camel else name

    def column(self, *words: str) -> str:
        name = "_".join(words)
        return camel(name) if self.camel else name

    def key_of(self, noun: str) -> str:
        return self.column(noun, "id") if self.named_keys else "id"


def model_of(seed: int) -> tuple[str, Habit]:
    dice = random.Random(seed)
    nouns = dice.sample(NOUNS, dice.randint(4, 9))
    habit = Habit(dice.choice(PARTS), dice.random() < 0.4, dice.random() < 0.3, dice.choice(list(KEYS)), dice.random() < 0.3)
    lines = []
    for at, noun in enumerate(nouns):
        table = habit.table(noun)
        columns = [f'"{habit.key_of(noun)}" {habit.key} PRIMARY KEY', '"name" varchar(60) NOT NULL']
        for parent in dice.sample(nouns[:at], min(at, dice.randint(0, 3))):
            role = dice.choice(["", "", "", "first_", "home_"])
            column = habit.column(*f"{role}{parent}".split("_"), "id")
            columns.append(f'"{column}" {habit.key}{dice.choice(["", " NOT NULL"])}')
            habit.told[table, column] = habit.table(parent)
        if dice.random() < 0.3:
            column = habit.column("parent", "id")
            columns.append(f'"{column}" {habit.key}')
            habit.told[table, column] = table
        columns += [f'"{one.split()[0]}" {one.split()[1]}' for one in dice.sample(DECOYS, 2)]
        dice.shuffle(columns)
        lines.append(f'CREATE TABLE "{table}" ({", ".join(columns)});')
    dice.shuffle(lines)
    return "\n".join(lines), habit


@pytest.mark.parametrize("seed", range(80))
def test_references_are_found_and_nothing_else(seed: int) -> None:
    sql, habit = model_of(seed)
    world = weltigen.read_model(sql, dialect="postgresql").declared
    found = {(e.name, r.columns[0]): r.target for e in world.entities for r in e.relations}
    assert found == habit.told, sql


@pytest.mark.parametrize("seed", range(8))
def test_rows_refer_to_rows_that_are_there(seed: int, tmp_path: Path) -> None:
    sql, habit = model_of(seed)
    world = weltigen.read_model(sql, dialect="postgresql")
    dataset = world.dataset(seed=seed)
    frames = {entity.name: dataset.frame(entity.name) for entity in world.declared.entities}
    for (table, column), target in habit.told.items():
        keys = frames[target][world.declared.entity(target).key[0]]
        assert frames[table][column].dropna().isin(keys).all() and frames[table][column].notna().any(), (table, column)
    dataset.write(tmp_path / "rows.sqlite")
    assert not weltigen.audit(world, tmp_path / "rows.sqlite").findings
