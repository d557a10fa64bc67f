"""A maker of hostile models without a world file: whatever a database accepts, in its own words, built around witness rows.

Each column gets the values of a few rows first; types, checks, unique rules and references are then chosen among those that
these rows keep. So rows exist that keep all of them, and a database that takes the script proves it.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from random import Random
from typing import Any

from .forms import FORMS, MORE, MORE_FROM, Form, sql_text

ODD_NAMES = (
    "2nd_line", "order", "group", "index", "rowid", "value", "select", "user", "größe", "unit price", "a.b", "it's", "key",
    "x" * 50, "rank", "from", "Mixed Case", "table", "end", "type", "size%", "a-b",
)  # fmt: skip
NAMES = (
    "name title slug email first_name last_name full_name status state code currency country locale language is_active hidden "
    "position step quantity price total amount level rate year phone url password token hash uuid created_at updated_at "
    "deleted_at starts_at ends_at born_on notes description label kind priority role color sort_order parent version size "
    "latitude longitude percent duration path host port ip city street zip unit score enabled reference number weight"
).split()
TABLES = (
    "vessel person crossing ticket stop member team depot locale_text visit step_of right_of setting event_log sensor "
    "file route crew permit bay cabin"
).split()


@dataclass
class Column:
    """A column with the values that the witness rows have in it; None where one has none."""

    name: str
    form: Form
    values: list[Any]
    nullable: bool = True
    extra: str = ""
    follows: bool = False  # it belongs to a reference, so that no check is made up for it

    def known(self) -> list[Any]:
        return [value for value in self.values if value is not None]


@dataclass
class Table:
    name: str
    columns: list[Column] = field(default_factory=list)
    key: list[str] = field(default_factory=list)
    rules: list[str] = field(default_factory=list)
    later: list[str] = field(default_factory=list)  # statements of their own
    uniques: list[list[str]] = field(default_factory=list)
    rows: int = 2

    def column(self, name: str) -> Column:
        return next(column for column in self.columns if column.name == name)


@dataclass
class Hostile:
    """A script in one dialect, and the statements that put its witness rows there."""

    dialect: str
    sql: str
    witnesses: str
    tables: list[str]


class _Maker:
    def __init__(self, seed: int, dialect: str) -> None:
        self.chance = Random(f"{dialect} {seed}")
        self.dialect = dialect
        self.more = seed >= MORE_FROM
        self.forms = FORMS[dialect] + (MORE[dialect] * 2 if self.more else [])
        self.tables: list[Table] = []
        self.first = ""

    def quoted(self, name: str) -> str:
        return f"`{name}`" if self.dialect == "mysql" else '"' + name.replace('"', '""') + '"'

    def some(self, share: float) -> bool:
        return self.chance.random() < share

    def made(self) -> Hostile:
        for _ in range(self.chance.randint(1, 6)):
            self.tables.append(self.table())
        script = self.first + "".join(map(self.written, self.tables))
        script += "".join(f"{line};\n" for table in self.tables for line in table.later)
        witnesses = "".join(self.inserts(table) for table in self.tables)
        return Hostile(self.dialect, script, witnesses, [table.name for table in self.tables])

    def table(self) -> Table:
        taken = {table.name.lower() for table in self.tables}
        pool = ODD_NAMES if self.some(0.12) else TABLES
        name = next(n for n in self.chance.sample(pool, len(pool)) if n.lower() not in taken)
        table = Table(name, rows=self.chance.choice([1, 2, 2, 3]))
        if self.tables:
            for _ in range(self.chance.choice([0, 0, 1, 1, 1, 2, 2, 3])):
                self.reference(table, self.chance.choice(self.tables))
        for _ in range(self.chance.randint(1, 7)):
            self.plain(table)
        self.keys(table)
        if self.some(0.15) and table.key and len(table.key) == 1:
            self.reference(table, table)
        for column in list(table.columns):
            if not column.follows:
                self.column_rules(table, column)
        for _ in range(self.chance.choice([0, 0, 1, 1, 2])):
            self.pair_rule(table)
        return table

    def fresh(self, table: Table) -> str:
        taken = {column.name.lower() for column in table.columns}
        for _ in range(50):
            name = self.chance.choice(ODD_NAMES if self.some(0.08) else NAMES)
            if self.some(0.05):
                name = table.name
            if name.lower() not in taken:
                return name
        return f"c{len(table.columns)}"

    def plain(self, table: Table) -> Column:
        form = self.chance.choice(self.forms)(self.chance)
        column = Column(self.fresh(table), form, [])
        pool = [form.value(self.chance) for _ in range(table.rows)]
        column.nullable = self.some(0.55)
        column.values = [None if column.nullable and self.some(0.3) else value for value in pool]
        if form.declared:
            self.first += form.declared
        table.columns.append(column)
        return column

    def reference(self, table: Table, target: Table) -> None:
        """Columns that hold a key of the target, or another unique set of its columns."""
        sets = [s for s in ([target.key] if target.key else []) + target.uniques if all(target.column(n).form.keyed for n in s)]
        if not sets:
            return
        aims = self.chance.choice(sets)
        rows = [n for n in range(target.rows) if all(target.column(a).values[n] is not None for a in aims)]
        if not rows:
            return
        optional = self.some(0.4) or target is table
        picks: list[int | None] = []
        for n in range(table.rows):
            there = [row for row in rows if target is not table or row <= n]  # of its own rows, those that are there by then
            picks.append(None if optional and (not there or self.some(0.35)) else self.chance.choice(there))
        held = {column.name for column in table.columns}
        names = []
        for aim in aims:
            own = (
                f"{target.name[:30]}_{aim[:20]}"
                if self.some(0.7)
                else f"{self.chance.choice(('by', 'of', 'from', 'other'))}_{aim[:30]}"
            )
            while own in held:
                own += "_2"
            held.add(own)
            names.append(own)
            values = [None if pick is None else target.column(aim).values[pick] for pick in picks]
            table.columns.append(Column(own, target.column(aim).form, values, nullable=optional, follows=True))
        action = self.chance.choice(
            ["", "", " ON DELETE CASCADE", " ON DELETE RESTRICT"] + ([" ON DELETE SET NULL"] if optional else [])
        )
        table.rules.append(
            f"FOREIGN KEY ({self.listed(names)}) REFERENCES {self.quoted(target.name)} ({self.listed(aims)}){action}"
        )

    def listed(self, names: list[str]) -> str:
        return ", ".join(map(self.quoted, names))

    def keys(self, table: Table) -> None:
        """A primary key and unique rules, over any columns whose witness values differ."""
        fit = [c for c in table.columns if c.form.keyed]
        choices = [
            names for names in self.differing(table, fit) if None not in [v for n in names for v in table.column(n).values]
        ]
        kind = self.chance.random()
        if kind < 0.5 or not choices:
            form = next(self.chance.choice(self.forms)(self.chance) for _ in range(1)) if self.some(0.25) else None
            if form is None or not form.keyed:
                form = self.forms[0](self.chance)
            values = self.distinct(form, table.rows)
            if values is not None:
                own = next(n for n in ("id", f"{table.name[:40]}_id", "nr") if n not in {c.name for c in table.columns})
                table.columns.insert(0, Column(own, form, values, nullable=False, follows=False))
                table.key = [own]
        elif kind < 0.93:
            table.key = self.chance.choice(choices)
        for name in table.key:
            table.column(name).nullable = False
        for names in self.chance.sample(
            choices := self.differing(table, fit), min(len(choices), self.chance.choice([0, 0, 1, 1, 2]))
        ):
            if names != table.key and (self.dialect != "mysql" or all(table.column(n).form.keyed for n in names)):
                table.uniques.append(names)
        if self.more and self.some(0.4):
            names = [c.name for c in self.chance.sample(fit, min(len(fit), self.chance.randint(1, 2)))]
            if names:
                table.later.append(f"CREATE INDEX i{len(self.tables)} ON {self.quoted(table.name)} ({self.listed(names)})")
        if table.key:
            table.rules.append(f"PRIMARY KEY ({self.listed(table.key)})")
        for names in table.uniques:
            if self.some(0.3):
                index = f"u{len(self.tables)}_{len(table.later)}"
                table.later.append(f"CREATE UNIQUE INDEX {index} ON {self.quoted(table.name)} ({self.listed(names)})")
            else:
                table.rules.append(f"UNIQUE ({self.listed(names)})")
        # a reference must find its unique rule where it is declared: an index comes too late for it
        late = [line for line in table.later if line.startswith("CREATE UNIQUE")]
        table.uniques = [names for names in table.uniques if not any(f"({self.listed(names)})" in line for line in late)]

    def distinct(self, form: Form, rows: int) -> list[Any] | None:
        values: list[Any] = []
        for _ in range(60):
            if (value := form.value(self.chance)) not in values:
                values.append(value)
            if len(values) == rows:
                return values
        return None

    def differing(self, table: Table, fit: list[Column]) -> list[list[str]]:
        out = []
        for _ in range(8):
            size = min(len(fit), self.chance.choice([1, 1, 2, 2, 3]))
            chosen = self.chance.sample(fit, size) if size else []
            rows = [
                tuple(sql_text(c.values[n]).lower() if c.values[n] is not None else n for c in chosen) for n in range(table.rows)
            ]
            names = [c.name for c in chosen]
            if chosen and len(set(rows)) == table.rows and names not in out:
                out.append(names)
        return out

    def column_rules(self, table: Table, column: Column) -> None:
        if self.some(0.2) and column.form.defaults and column.values:
            column.extra += f" DEFAULT {column.form.default(self.chance)}"
        if self.some(0.35):
            checks = [
                check
                for check in column.form.checks(self.chance, self.quoted(column.name), column.known(), self.dialect)
                if check
            ]
            if checks:
                check = self.chance.choice(checks)
                if not column.nullable and self.some(0.1):
                    check = f"{self.quoted(column.name)} IS NOT NULL AND {check}"
                if self.some(0.5):
                    column.extra += f" CHECK ({check})"
                else:
                    table.rules.append(f"CONSTRAINT {self.quoted(f'ck_{len(self.tables)}_{len(table.rules)}')} CHECK ({check})")

    def pair_rule(self, table: Table) -> None:
        """A check over two columns that every witness row keeps."""
        # MariaDB checks no column that a reference's action may change
        free = [c for c in table.columns if not c.follows or self.dialect != "mysql"]
        columns = self.chance.sample(free, 2) if len(free) > 1 else []
        if not columns:
            return
        one, two = columns
        a, b = self.quoted(one.name), self.quoted(two.name)
        pairs = list(zip(one.values, two.values, strict=True))
        there = [(x, y) for x, y in pairs if x is not None and y is not None]
        found = []
        if one.form.family == two.form.family and one.form.ordered and two.form.ordered and there:
            found += [f"{a} <= {b}"] * (2 * all(x <= y for x, y in there)) + [f"{b} > {a}"] * (2 * all(x < y for x, y in there))
        if one.form.family == two.form.family and one.form.family in ("integer", "text", "date") and there:
            found += [f"{a} <> {b}"] * all(x != y for x, y in there)
        if one.nullable and two.nullable:
            found += [f"({a} IS NULL) = ({b} IS NULL)"] * all((x is None) == (y is None) for x, y in pairs)
            found += [f"{a} IS NOT NULL OR {b} IS NOT NULL"] * all(x is not None or y is not None for x, y in pairs)
            if all((x is None) != (y is None) for x, y in pairs):
                found += [f"NOT ({a} IS NULL AND {b} IS NULL) AND NOT ({a} IS NOT NULL AND {b} IS NOT NULL)",
                          f"({a} IS NULL) <> ({b} IS NULL)"]  # fmt: skip
            found += [f"NOT ({a} IS NOT NULL AND {b} IS NOT NULL)"] * all(x is None or y is None for x, y in pairs)
        if one.form.family == "text" and two.nullable and one.known():
            value = self.chance.choice(one.known())
            if all(x != value or y is not None for x, y in pairs):
                found.append(f"{a} <> {sql_text(value)} OR {b} IS NOT NULL")
        if found:
            table.rules.append(f"CHECK ({self.chance.choice(found)})")

    def written(self, table: Table) -> str:
        lines = [
            f"{self.quoted(c.name)} {c.form.type}{'' if c.nullable or (c.name in table.key and self.dialect != 'sqlite') else ' NOT NULL'}{c.extra}"
            for c in table.columns
        ]
        return f"CREATE TABLE {self.quoted(table.name)} (\n  " + ",\n  ".join(lines + table.rules) + "\n);\n"

    def inserts(self, table: Table) -> str:
        names = self.listed([column.name for column in table.columns])
        rows = []
        for n in range(table.rows):
            values = ", ".join("NULL" if c.values[n] is None else c.form.literal(c.values[n]) for c in table.columns)
            rows.append(f"INSERT INTO {self.quoted(table.name)} ({names}) VALUES ({values});\n")
        return "".join(rows)


def make_hostile(seed: int, dialect: str) -> Hostile:
    """Two models of one seed and dialect are the same."""
    return _Maker(seed, dialect).made()
