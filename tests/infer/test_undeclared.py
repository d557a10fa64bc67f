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


ERP = {
    "party_party": "code", "party_address": "party street city", "party_category": "parent name", "party_identifier": "party sequence code",
    "company_company": "party currency", "company_employee": "company party", "currency_currency": "code digits", "currency_rate": "currency rate",
    "product_product": "category code", "product_category": "parent name", "product_unit": "category factor", "product_unit_category": "name",
    "stock_location": "parent address", "stock_move": "product unit company from_location to_location quantity", "stock_shipment": "company party delivery_address",
    "res_user": "company employee", "res_group": "name sequence", "sale_sale": "company party currency", "sale_line": "sale product unit sequence quantity",
}  # fmt: skip
MEANT = {"from_location": "stock_location", "to_location": "stock_location", "delivery_address": "party_address", "address": "party_address",
         "employee": "company_employee", "party": "party_party", "company": "company_company", "currency": "currency_currency",
         "product": "product_product", "unit": "product_unit", "sale": "sale_sale"}  # fmt: skip
NUMBERS = {"digits", "factor", "sequence", "quantity", "rate"}
TEXTS = {"code", "name", "street", "city"}


def test_a_model_that_calls_rows_by_their_entities_has_them_found() -> None:
    """As applications do that leave references to themselves: `party` is a row of party_party, `create_uid` a user."""
    lines = []
    for table, words in ERP.items():
        columns = [f'"{word}" {"varchar(60)" if word in TEXTS else "integer"}' for word in words.split()]
        lines.append(
            f"CREATE TABLE {table} (id integer PRIMARY KEY, create_uid integer, write_uid integer, {', '.join(columns)});"
        )
    world = weltigen.read_model("\n".join(lines)).declared
    found = {(entity.name, relation.columns[0]): relation.target for entity in world.entities for relation in entity.relations}
    wanted = {(table, who): "res_user" for table in ERP for who in ("create_uid", "write_uid")}
    for table, words in ERP.items():
        for word in set(words.split()) - NUMBERS - TEXTS:
            wanted[table, word] = table if word == "parent" else MEANT.get(word, "product_category")
    wanted["product_unit", "category"] = "product_unit_category"  # its own before that of the product
    assert {key: found.get(key) for key in wanted} == wanted
    assert not [key for key in found if key[1] in NUMBERS | TEXTS]
