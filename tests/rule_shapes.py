"""Rules across fields and rows for the models of the tests: each function adds one to a table, where it fits."""

from __future__ import annotations

from collections.abc import Callable
from random import Random

from .model_parts import Table, reference

Shape = Callable[[Random, Table, list[Table], list[str]], None]


def add_rules(chance: Random, tables: list[Table]) -> str:
    """A few rules for each table; unique rules of PostgreSQL's own, which stand behind the tables, as SQL."""
    late: list[str] = []
    for table in list(tables):
        for shape in chance.sample(RULES, chance.choice([0, 1, 1, 2, 3])):
            shape(chance, table, tables, late)
    return "".join(f"{line};\n" for line in late)


def has(table: Table, column: str) -> bool:
    return any(part.startswith(f"{column} ") for part in table.columns)


def based(table: Table) -> None:
    if not has(table, "base_n"):
        table.columns.append("base_n integer NOT NULL CHECK (base_n BETWEEN 0 AND 50)")


def computed(chance: Random, table: Table, tables: list[Table], late: list[str]) -> None:
    """Over the row, and over rows one and two steps up."""
    based(table)
    table.columns.append("twice_n integer NOT NULL CHECK (twice_n > 0)")
    table.fields.append('twice_n: {compute: "base_n * 2 + 1"}')
    for way, parent in list(table.above.items())[:1]:
        based(parent)
        table.columns.append("up_n numeric(9, 2) NOT NULL")
        further = next(iter(parent.above.items()), None)
        path = f"{way}.{further[0]}" if further is not None and further[1] is not table else way
        based(further[1] if further is not None and path != way else parent)
        table.fields.append(f'up_n: {{compute: "round({path}.base_n / 3.0, 2) + twice_n"}}')


def summed(chance: Random, table: Table, tables: list[Table], late: list[str]) -> None:
    """A row knows what its children come to."""
    children = [
        child for child in tables[1:]
        if child is not table and sum(f"REFERENCES {table.name} (" in part for part in child.columns) == 1
    ]  # fmt: skip
    if not children:
        return
    child = chance.choice(children)
    if not has(child, "weight_n"):
        child.columns.append("weight_n numeric(6, 2) NOT NULL CHECK (weight_n BETWEEN 0 AND 99)")
    table.columns += [
        "kids_n integer NOT NULL",
        "kids_sum numeric(14, 2) NOT NULL CHECK (kids_sum >= 0)",
        "kids_max numeric(6, 2)",
    ]
    table.fields += [
        f"kids_n: {{compute: count({child.name})}}", f'kids_sum: {{compute: "coalesce(sum({child.name}.weight_n), 0)"}}',
        f'kids_max: {{compute: "max({child.name}.weight_n) FILTER (WHERE {child.name}.weight_n < 60)"}}',
    ]  # fmt: skip


def cohorts(chance: Random, table: Table, tables: list[Table], late: list[str]) -> None:
    if not table.exact:
        return
    table.columns += ["group_n integer NOT NULL CHECK (group_n BETWEEN 0 AND 40)", "case_n integer NOT NULL"]
    table.wishes.append("cohorts: {some: {share: 30%, fields: {group_n: {const: 7}}}, more: {rows: 1, fields: {group_n: {minimum: 20}}},"
                        " half: {share: 50%, fields: {case_n: {maximum: 9}}}}")  # fmt: skip
    table.fields.append("case_n: {weights: [{when: some, of: {1: 1}}, {when: more, of: {2: 1}}, {of: {3: 1, 4: 2}}]}")


def partial(chance: Random, table: Table, tables: list[Table], late: list[str]) -> None:
    """One row of each parent is its main one; or of those that are open."""
    for way, _ in list(table.above.items())[:1]:
        column = next((part.split()[0] for part in table.columns if part.startswith((f"{way}_id ", f"{way} "))), None)
        if column is None:
            return
        if chance.random() < 0.5:
            table.columns.append("main_f boolean NOT NULL")
            late.append(f"CREATE UNIQUE INDEX {table.name}_main ON {table.name} ({column}) WHERE main_f")
        else:
            table.columns.append("gone_at timestamp")
            late.append(f"CREATE UNIQUE INDEX {table.name}_open ON {table.name} ({column}) WHERE gone_at IS NULL")


def folded(chance: Random, table: Table, tables: list[Table], late: list[str]) -> None:
    table.columns += ["alias varchar(8) NOT NULL", "nick varchar(6)"]
    table.fields.append('alias: {pattern: "[A-Za-z]{2}[0-9]{2}"}')
    late.append(f"ALTER TABLE {table.name} ADD UNIQUE NULLS NOT DISTINCT (nick)")
    late.append(f"CREATE UNIQUE INDEX {table.name}_alias ON {table.name} (lower(alias))")


def later(chance: Random, table: Table, tables: list[Table], late: list[str]) -> None:
    """Not before its parent, whose own time has an end."""
    for way, parent in list(table.above.items())[:1]:
        for one in (table, parent):
            if not has(one, "since_d"):
                one.columns.append("since_d date NOT NULL")
        bound = chance.choice(["", ", within: 40 days", ", before: 2024-11-30", ", maximum: 2024-12-15"])
        table.fields.append(f"since_d: {{after: {way}.since_d{bound}}}")


def depending(chance: Random, table: Table, tables: list[Table], late: list[str]) -> None:
    based(table)
    table.columns += ["maybe_n integer", "rank_n integer NOT NULL CHECK (rank_n BETWEEN 1 AND 500)", "mood varchar(5) NOT NULL"]
    table.fields += [
        'maybe_n: {present: {when: "base_n > 20", share: 50%}}', "rank_n: {follows: {field: base_n, correlation: 0.7}}",
        'mood: {weights: [{when: "base_n > 30 OR maybe_n IS NULL", of: {calm: 1, tense: 2}}, {of: {glad: 1}}]}',
    ]  # fmt: skip


def states(chance: Random, table: Table, tables: list[Table], late: list[str]) -> None:
    """A history of its own, by which its stage goes."""
    if len(table.key) > 1 or table.rows < 1:
        return
    table.columns += ["stage varchar(6) NOT NULL", "made_at timestamp NOT NULL"]
    history = Table(f"{table.name}_log", [("id", "integer")], 0)
    history.columns.append("id integer PRIMARY KEY")
    names = reference(history, table, "of")
    history.columns += ["stage varchar(6) NOT NULL", "at timestamp NOT NULL", "old_stage varchar(6)", f"UNIQUE ({names[0]}, at)"]
    if chance.random() < 0.5:
        table.fields.append("stage: {weights: {new: 1, done: 3}}")
    table.wishes.append(f"states: {{field: stage, history: {history.name}, start: {{new: 1}}, steps: {{new: {{busy: 3, done: 1, new: 1}},"
                        f" busy: {{new: 1, done: 2}}}}, lasts: {{busy: 3 hours}}}}")  # fmt: skip
    tables.append(history)


def in_line(chance: Random, table: Table, tables: list[Table], late: list[str]) -> None:
    """Texts that stand in order, and one that comes after a text of the row that is referred to."""
    if has(table, "first_t"):
        return
    table.columns += ["first_t varchar(6) NOT NULL", "last_t varchar(6) NOT NULL", "CHECK (first_t <= last_t)"]
    table.fields += ['first_t: {pattern: "[a-z]{3}"}', 'last_t: {pattern: "[a-z]{3}"}']
    behind = [name for name, target in table.above.items() if has(target, "first_t") and target is not table]
    if behind and chance.random() < 0.5:
        table.columns.append("next_t varchar(6) NOT NULL")
        table.fields.append(f'next_t: {{pattern: "[a-z]{{4}}", after: {behind[0]}.first_t}}')


RULES: list[Shape] = [in_line, computed, summed, cohorts, partial, folded, later, depending, states]
