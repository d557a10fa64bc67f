"""A maker of bare models: tables as applications declare them, whose names say what they hold and whose types need not fit.

Nothing but the model is given, so all that is filled in is guessed. Each is valid, and has rows that keep its rules.
"""

from __future__ import annotations

import re
from dataclasses import dataclass, field
from random import Random

TABLES = (
    "invoice invoice_line payment person trip leg meter meter_reading product category document stock_move member visit crew berth "
    "survey answer harbour pilot tow_order lock_passage fault_report licence seat tariff complaint"
).split()
MOMENTS = (
    "started_at ended_at created_at updated_at deleted_at due_at paid_at shipped_at delivered_at cancelled_at approved_at archived_at "
    "last_seen_at first_seen_at valid_from valid_to starts_on ends_on birth_date opened_on closed_on expires_at checked_at"
).split()
TEXTS = (
    "name code slug title status state kind email phone first_name last_name full_name display_name rejected_reason country city "
    "postcode timezone locale currency name_lower title_slug search_text initials path version file_name mime_type checksum url "
    "remark description reference colour language street iban vat_number approved_by created_by level_code"
).split()
NUMBERS = (
    "quantity unit_price price total subtotal tax tax_rate discount gross net amount amount_cents total_cents paid balance deposit "
    "fee line_total hours hourly_rate cost margin nights duration_s duration_min score max_score percent gross_weight net_weight "
    "points value balance_due item_count line_count depth level sort_order position age lat lon price_min price_max min_qty max_qty "
    "stock reserved available opening_balance closing_balance reading previous_reading consumption distance_km odometer_start "
    "odometer_end rating review_count average_rating revision file_size width height ratio area volume weight tare is_active "
    "year capacity approved_by owner_id parent_no number"
).split()
_AMOUNTS = ["smallint", "integer", "numeric(6,2)", "numeric(10,2)", "numeric(5,2)", "bigint", "double precision"]
KINDS: dict[str, list[str]] = {
    **dict.fromkeys(MOMENTS, "timestamp timestamp timestamptz date bigint integer".split()),
    **dict.fromkeys(TEXTS, "text varchar(20) varchar(100) varchar(8) char(2) varchar(255)".split()),
    **dict.fromkeys(NUMBERS, _AMOUNTS),
}
ANY = "smallint integer bigint numeric(4,2) numeric(10,2) numeric(3,1) text varchar(8) varchar(20) date timestamp time boolean uuid".split()
WHOLE = ("smallint", "integer", "bigint")
LISTS = ("'open', 'shut', 'lost'", "'a', 'b'", "'draft', 'active', 'archived', 'closed'", "'new'")


@dataclass
class Table:
    name: str
    columns: dict[str, str] = field(default_factory=dict)  # by name: its type
    clauses: dict[str, str] = field(default_factory=dict)  # by name: what follows the type
    rules: list[str] = field(default_factory=list)

    def __str__(self) -> str:
        parts = [f"{name} {kind}{self.clauses.get(name, '')}" for name, kind in self.columns.items()] + self.rules
        return f"CREATE TABLE {self.name} (\n  " + ",\n  ".join(parts) + "\n);\n"


def bare_model(seed: int, *, references: bool = True) -> str:
    """The model as SQL that PostgreSQL and SQLite understand; without `references` the same columns refer to nothing."""
    dice = Random(seed)
    tables = [Table(name) for name in dice.sample(TABLES, dice.randint(2, 7))]
    for number, table in enumerate(tables):
        table.columns["id"] = dice.choice(WHOLE)
        table.clauses["id"] = " PRIMARY KEY"
        _references(dice, table, tables[:number])
        for name in dice.sample(list(KINDS), dice.randint(4, 14)):
            if name not in table.columns:
                table.columns[name] = dice.choice(ANY if dice.random() < 0.2 else KINDS[name])
                table.clauses[name] = dice.choice([" NOT NULL", "", ""]) + (" UNIQUE" if dice.random() < 0.07 else "")
        _rules(dice, table)
    sql = "".join(map(str, tables))
    return sql if references else re.sub(r" REFERENCES \w+( ON DELETE CASCADE)?", "", sql)


def _references(dice: Random, table: Table, before: list[Table]) -> None:
    for target in before:
        if dice.random() < 0.45:
            name = dice.choice([f"{target.name}_id", f"{target.name}_id", target.name, f"main_{target.name}_id"])
            table.columns[name] = target.columns["id"]
            needed, alone = dice.choice([" NOT NULL", ""]), dice.choice(["", "", "", " UNIQUE"])
            table.clauses[name] = f"{needed}{alone} REFERENCES {target.name}{dice.choice(['', ' ON DELETE CASCADE'])}"
    if dice.random() < 0.2:
        table.columns["parent_id"] = table.columns["id"]
        table.clauses["parent_id"] = f" REFERENCES {table.name}"


def _rules(dice: Random, table: Table) -> None:
    free = [name for name in table.columns if name in KINDS]
    if dice.random() < 0.35 and len(table.columns) > 3:
        held = dice.sample([name for name in table.columns if name != "id"], dice.randint(2, 3))
        table.rules.append(f"UNIQUE ({', '.join(held)})")
    for name in free:
        kind, roll = table.columns[name], dice.random()
        if roll > 0.12:
            continue
        if kind in WHOLE or kind.startswith(("numeric", "double")):
            table.rules.append(dice.choice([f"CHECK ({name} >= 0)", f"CHECK ({name} > 0)", f"CHECK ({name} BETWEEN 1 AND 5)"]))
        elif kind.startswith(("text", "varchar")):
            table.rules.append(dice.choice([f"CHECK (length({name}) >= 3)", f"CHECK ({name} <> '')"]))
            if "UNIQUE" not in table.clauses[name] and roll < 0.06 and not any(name in rule for rule in table.rules[:-1]):
                table.rules[-1] = f"CHECK ({name} IN ({dice.choice(LISTS)}))"
                if kind == "varchar(8)" and max(map(len, table.rules[-1].split("'")[1::2])) > 8:
                    table.rules.pop()
    alike: dict[str, list[str]] = {}
    for name in free:
        alike.setdefault(table.columns[name], []).append(name)
    pairs = [pair for kind, pair in alike.items() if len(pair) > 1 and kind not in ("boolean", "uuid", "char(2)")]
    if pairs and dice.random() < 0.4:
        one, other = dice.sample(dice.choice(pairs), 2)
        forms = ["({0} IS NULL) = ({1} IS NULL)", "{0} IS NOT NULL OR {1} IS NOT NULL"]
        if table.columns[one] not in ("text", "varchar(8)", "varchar(20)", "varchar(100)", "varchar(255)"):
            forms += ["{0} <= {1}", "{0} < {1}"]
        table.rules.append(f"CHECK ({dice.choice(forms).format(one, other)})")
