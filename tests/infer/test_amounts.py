"""Amounts of any row add up, whichever of them a table has and however they are spelled."""

from __future__ import annotations

import random
from decimal import Decimal
from pathlib import Path

import pandas as pd
import pytest

import weltigen
from weltigen.model import ComputeSource

NAMES = {  # what an amount is called
    "quantity": ["quantity", "qty"],
    "price": ["unit_price", "price", "price_per_unit"],
    "line": [
        "line_total",
        "line_amount",
        "item_total",
        "row_total",
        "position_amount",
        "extended_cost",
        "sum_of_line",
        "item_subtotal",
    ],
    "net": ["net", "net_amount", "net_total", "subtotal"],
    "rate": ["tax_rate", "vat_rate", "vat_pct", "tax_percent"],
    "tax": ["tax", "vat", "tax_amount", "vat_amount"],
    "gross": ["gross", "gross_amount", "gross_total", "total"],
    "paid": ["paid_amount", "amount_paid"],
    "balance": ["balance_due", "amount_due", "outstanding"],
}
TYPES = ["numeric(10,2)", "numeric(12,2)", "double precision", "numeric(9,2)"]


def model_of_amounts(seed: int) -> tuple[str, str, dict[str, str]]:
    """A table with some amounts: as SQL, its name, and what each is called there."""
    dice = random.Random(seed)
    noun = dice.choice(["invoice", "crossing_bill", "mooring_fee", "repair_bill", "lantern_order"])
    chosen = [
        dice.sample(["quantity", "price", "line"], 3),
        dice.sample(["net", "tax", "gross"], 3),
        dice.sample(["net", "rate", "tax", "gross"], 4),
        dice.sample(["net", "tax", "gross", "paid", "balance"], 5),
    ][seed % 4]
    names = {what: dice.choice(NAMES[what]) for what in chosen}
    if dice.random() < 0.3:
        names = {what: "".join(word.capitalize() for word in name.split("_")) for what, name in names.items()}
    if dice.random() < 0.2:
        names = {what: f"{noun}_{name}" for what, name in names.items()}
    of = dice.choice(TYPES)
    kinds = {what: "integer" if what == "quantity" else "numeric(5,2)" if what == "rate" else of for what in chosen}
    columns = [f'"{names[what]}" {kinds[what]} NOT NULL' for what in chosen]
    columns += ["issued_on date NOT NULL", "remark text"]
    dice.shuffle(columns)
    return f"CREATE TABLE {noun} (id integer PRIMARY KEY, {', '.join(columns)});", noun, names


@pytest.mark.parametrize("seed", range(60))
def test_amounts_add_up(seed: int) -> None:
    sql, noun, names = model_of_amounts(seed)
    rows = weltigen.read_model(sql, dialect="postgresql").dataset(rows={noun: 400}, seed=seed).frame(noun)
    of = {what: rows[name].astype(float).round(2) for what, name in names.items()}

    def near(one: pd.Series, other: pd.Series, cents: float = 0.5) -> bool:
        return bool(((one - other).abs() <= cents / 100 + 1e-6).all())

    for what, amounts in of.items():
        assert (amounts >= 0).all() and (what == "rate" or amounts.nunique() > 3), f"{sql}\n{what} {amounts[:5].tolist()}"
    if {"quantity", "price", "line"} <= of.keys():
        assert near(of["line"], of["quantity"] * of["price"]), sql
    if {"net", "tax", "gross"} <= of.keys():
        assert near(of["gross"], of["net"] + of["tax"]), sql
        assert (of["tax"] <= of["net"] * Decimal("0.5").__float__() + 0.01).all(), sql
    if {"net", "rate", "tax"} <= of.keys():
        share = of["rate"] / (100 if of["rate"].max() > 1 else 1)
        assert near(of["tax"], of["net"] * share), sql
    if {"gross", "paid"} <= of.keys():
        assert (of["paid"] <= of["gross"] + 0.005).all(), sql
    if {"gross", "paid", "balance"} <= of.keys():
        assert near(of["balance"], of["gross"] - of["paid"]), sql


HEADS = {
    "bill": "bill_line",
    "mooring_order": "mooring_order_item",
    "quote": "quote_position",
    "lamp_delivery": "lamp_delivery_entry",
}


@pytest.mark.parametrize("seed", range(16))
def test_a_head_is_the_sum_of_its_lines(seed: int) -> None:
    dice = random.Random(seed)
    head, line = list(HEADS.items())[seed % len(HEADS)]
    total = dice.choice(["total", "total_amount", "net_total", "net_amount", "subtotal", "grand_total"])
    count = dice.choice([f"{line.removeprefix(head + '_')}_count", f"number_of_{line.removeprefix(head + '_')}s"])
    amount = dice.choice(["line_total", "amount", "total_price"])
    prefix = dice.choice(["", "wk_"])
    sql = (
        f"CREATE TABLE {prefix}{head} (id integer PRIMARY KEY, {total} numeric(12,2) NOT NULL, {count} integer NOT NULL);"
        f"CREATE TABLE {prefix}{line} (id integer PRIMARY KEY, {head}_id integer NOT NULL REFERENCES {prefix}{head}(id),"
        f" quantity integer NOT NULL, unit_price numeric(10,2) NOT NULL, {amount} numeric(12,2) NOT NULL);"
    )
    dataset = weltigen.read_model(sql).dataset(rows={f"{prefix}{head}": 100, f"{prefix}{line}": 400}, seed=seed)
    heads, lines = dataset.frame(f"{prefix}{head}").set_index("id"), dataset.frame(f"{prefix}{line}")
    assert (lines[amount] == lines["quantity"] * lines["unit_price"]).all(), sql
    of = lines.groupby(f"{head}_id")[amount].agg(["sum", "size"]).reindex(heads.index).fillna(0)
    assert (heads[total].astype(float) - of["sum"].astype(float)).abs().max() < 0.005, sql
    assert (heads[count] == of["size"]).all(), sql


WORDS = (
    "quantity unit_price price total subtotal tax vat tax_rate discount gross net amount amount_cents price_cents total_cents paid "
    "balance deposit fee line_total hours hourly_rate cost margin litres price_per_litre nights rate_per_night duration_s duration_min "
    "started_at ended_at score max_score percent gross_weight net_weight tare points value balance_due count total_count distance_m"
).split()
WIDTHS = "smallint integer bigint numeric(3,1) numeric(4) numeric(4,2) numeric(5,2) numeric(6,2) numeric(10,2) real".split()


@pytest.mark.parametrize("seed", range(6))
def test_what_is_worked_out_has_room_in_any_type(tmp_path: Path, seed: int) -> None:
    """A guess is never why a model cannot be filled: a formula that a narrow column has no room for ends there, or is let go; and
    the draft, which writes all of that out, gives the same rows."""
    chance = random.Random(seed)
    tables = []
    for at in range(40):
        columns = [
            f"{name} {'timestamp' if name.endswith('_at') else chance.choice(WIDTHS)}{chance.choice(['', ' NOT NULL'])}"
            for name in chance.sample(WORDS, 9)
        ]
        tables.append(f"CREATE TABLE sheet_{at} (id integer PRIMARY KEY, {', '.join(columns)});")
    (tmp_path / "sheets.sql").write_text("\n".join(tables))
    bare = weltigen.read_model(tmp_path / "sheets.sql")
    formulas = [f.source.expression for e in bare.declared.entities for f in e.fields if isinstance(f.source, ComputeSource)]
    assert len(formulas) > 5
    weltigen.draft(tmp_path / "sheets.sql", tmp_path / "sheets.yaml")
    drafted = weltigen.open_world(tmp_path / "sheets.yaml")
    rows = {entity.name: 200 for entity in bare.declared.entities}
    one, two = bare.dataset(rows=rows), drafted.dataset(rows=rows)
    for entity in bare.declared.entities:
        assert one.table(entity.name).equals(two.table(entity.name)), entity.name


CHARGES = {  # what a bill charges beside what was bought, and what it lets off
    "shipping": ["shipping", "shipping_fee", "delivery_charge", "postage"],
    "service": ["service_charge", "handling_fee", "booking_fee"],
    "tip": ["tip", "gratuity"],
    "less": ["discount", "discount_amount", "rebate"],
}


@pytest.mark.parametrize("seed", range(40))
def test_a_total_holds_all_that_is_charged_and_let_off(seed: int) -> None:
    dice = random.Random(seed)
    beside = {what: dice.choice(names) for what, names in CHARGES.items() if dice.random() < 0.6} or {"tip": "tip"}
    net, gross = dice.choice(NAMES["net"]), dice.choice(["gross_amount", "total", "gross_total"])
    tax = dice.choice(["tax", "vat_amount", None])
    names = [net, *([tax] if tax else []), *beside.values()]
    dice.shuffle(names)
    columns = [
        f"{name} numeric(10,2){dice.choice([' NOT NULL', '']) if name in beside.values() else ' NOT NULL'}" for name in names
    ]
    sql = f"CREATE TABLE mooring_bill (id integer PRIMARY KEY, {', '.join(columns)}, {gross} numeric(10,2) NOT NULL);"
    rows = weltigen.read_model(sql, dialect="postgresql").dataset(rows={"mooring_bill": 300}, seed=seed).frame("mooring_bill")
    of = {name: rows[name].astype(float).fillna(0) for name in [*names, gross]}
    wanted = sum(-of[name] if name == beside.get("less") else of[name] for name in names)
    assert ((of[gross] - wanted).abs() < 0.006).all(), sql
    assert (of[gross] >= 0).all(), sql


STOCK = [
    ("qty_on_hand", "qty_reserved", "qty_available"),
    ("stock", "reserved", "available"),
    ("quantity", "allocated_quantity", "available_quantity"),
    ("on_hand", "committed", "free_stock"),
]


@pytest.mark.parametrize("names", STOCK)
@pytest.mark.parametrize("nullable", ["", " NOT NULL"])
def test_what_is_available_is_not_promised(names: tuple[str, str, str], nullable: str) -> None:
    there, promised, left = names
    sql = f"CREATE TABLE bin_stock (id integer PRIMARY KEY, {left} integer{nullable}, {there} integer NOT NULL, {promised} integer{nullable});"
    rows = weltigen.read_model(sql, dialect="postgresql").dataset(rows={"bin_stock": 300}).frame("bin_stock")
    of = {name: rows[name].astype(float).fillna(0) for name in names}
    assert (of[promised] <= of[there]).all() and (rows[left].isna() | (of[left] == of[there] - of[promised])).all()


PRICES = [
    ("price", "price_gross", "vat_rate", "min_price", "max_price"),
    ("unit_price", "gross_unit_price", "tax_rate", "unit_price_min", "recommended_unit_price"),
    ("sale_price", "sale_price_gross", None, "lowest_sale_price", "sale_price_max"),
    ("price", "price_ttc", "vat_percent", "price_min", "max_price"),
]


@pytest.mark.parametrize("names", PRICES)
@pytest.mark.parametrize("number", ["numeric(10,2)", "double precision"])
def test_a_price_is_told_with_its_tax_and_lies_between_its_ends(names: tuple[str | None, ...], number: str) -> None:
    price, gross, rate, least, most = names
    kinds = dict.fromkeys((least, gross, most, price), f"{number} NOT NULL") | ({rate: "numeric(4,2) NOT NULL"} if rate else {})
    sql = f"CREATE TABLE lantern (id integer PRIMARY KEY, {', '.join(f'{name} {kind}' for name, kind in kinds.items())});"
    rows = weltigen.read_model(sql, dialect="postgresql").dataset(rows={"lantern": 300}).frame("lantern").astype(float)
    share = rows[rate] / 100 if rate else 0.2
    assert (rows[gross] - rows[price] * (1 + share)).abs().max() <= 0.0051
    assert (rows[least] <= rows[price]).all() and (rows[price] <= rows[most]).all() and (rows[least] >= 0).all()
    assert rows[price].nunique() > 100 and (rows[least] < rows[price]).mean() > 0.5
