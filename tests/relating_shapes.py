"""Shapes of relationship that the world file asks for: agreement, conditions, combinations, trees, chains, arcs, weights."""

from __future__ import annotations

from random import Random

from .model_parts import Table, called, reference

CONDITIONS = {
    "count": "{c} > 9", "amount": "{c} >= 20 AND {c} < 60", "state": "{c} <> 'open'", "day": "{c} >= '2024-06-01'",
    "flag": "{c}", "note": "length({c}) > 8", "moment": "{c} IS NOT NULL", "ratio": "{c} IS NULL",
}  # fmt: skip


def _simple(tables: list[Table]) -> list[Table]:
    return [table for table in tables if len(table.key) == 1]


def filtered(chance: Random, table: Table, owner: Table, before: list[Table]) -> bool:
    """Only rows that keep a condition are referred to; sometimes each at most once, so that as many are made."""
    found = [
        (target, column) for target in _simple(before) for line in target.columns
        if (column := line.split()[0])[-1].isdigit() and column[:-2] in CONDITIONS
        and not (column.startswith("ratio") and "NOT NULL" in line)
    ]  # fmt: skip
    if not found:
        return False
    target, column = chance.choice(found)
    names = reference(table, target, "via", chance.choice(["NOT NULL", ""]))
    if chance.random() < 0.4 and target.exact:
        table.columns.append(f"UNIQUE ({names[0]})")
        table.rows = min(table.rows, target.rows)
    table.wishes.append(f"rows: {table.rows}")
    table.wishes.append(f'references: {{{called(names, target)}: {{where: "{CONDITIONS[column[:-2]].format(c=column)}"}}}}')
    return True


def tied(chance: Random, table: Table, owner: Table, before: list[Table]) -> bool:
    """Two references that lead to the same row of an ancestor; sometimes each such pair once, sometimes so many for each."""
    found = [
        (one, other, way, back) for one in _simple(before) for other in _simple(before) if one is not other
        for way, ancestor in one.above.items() for back, end in other.above.items() if ancestor is end
    ]  # fmt: skip
    if not found:
        return False
    one, other, way, back = chance.choice(found)
    must = other.each is other.above[back]  # each ancestor has some, so the second reference always finds one
    names = reference(table, one, "here") + reference(table, other, "there", "NOT NULL" if must else "")
    here, there = (called(names[i : i + 1], target) for i, target in enumerate((one, other)))
    if must and chance.random() < 0.6:
        table.columns.append(f"UNIQUE ({', '.join(names)})")
    table.rows = min(table.rows, one.rows)
    rows = f"rows: {{per: {here}, least: 0, most: {chance.randint(1, 4)}}}" if chance.random() < 0.5 else f"rows: {table.rows}"
    table.rows = 0 if "per" in rows else table.rows
    text = chance.choice([f"{here}.{way}", f"{there}.{back} = {here}.{way}"])
    table.wishes += [rows, f"references: {{{there}: {{same: [{text}]}}}}"]
    return True


def asunder(chance: Random, table: Table, owner: Table, before: list[Table]) -> bool:
    """Two references of one ancestor that differ; or two to the entity itself that do."""
    found = [(one, other, way, end) for one in _simple(before) for other in _simple(before) if one is not other
             for way, ancestor in one.above.items() for end, above in other.above.items() if ancestor is above]  # fmt: skip
    target = table
    if found and chance.random() < 0.7:
        one, target, way, _ = chance.choice(found)
        here = called(reference(table, one, "here"), one)
    left, right = (reference(table, target, prefix, "")[0] for prefix in ("left", "right"))
    table.columns.append(f"CHECK ({left} <> {right})")
    table.wishes.append(f"rows: {table.rows}")
    if target is not table:
        both = ", ".join(f"{called([name], target)}: {{same: [{here}.{way}]}}" for name in (left, right))
        table.wishes.append(f"references: {{{both}}}")
    return True


def paired(chance: Random, table: Table, owner: Table, before: list[Table]) -> bool:
    """One row for each combination."""
    few = [other for other in _simple(before) if other.exact and other.rows <= 20]
    if not few:
        return False
    one, two = chance.choice(few), chance.choice(few)
    names = reference(table, one, "row") + reference(table, two, "col")
    table.rows = one.rows * two.rows
    if one is two and chance.random() < 0.5:
        table.columns.append(f"CHECK ({names[0]} <> {names[1]})")
        table.rows = one.rows * (one.rows - 1)
    if chance.random() < 0.7:
        table.columns.append(f"UNIQUE ({', '.join(names)})")
    row, col = (called(names[i : i + 1], target) for i, target in enumerate((one, two)))
    table.wishes.append(f"rows: {{per: [{row}, {col}]}}")
    return True


def hourly(chance: Random, table: Table, owner: Table, before: list[Table]) -> bool:
    """One row for each span of the window."""
    if not owner.exact:
        return False
    names = reference(table, owner, "at")
    kind, span = chance.choice([("timestamp", "55 days"), ("date", "30 days"), ("timestamptz", "1000 hours")])
    table.columns += [f"read_at {kind} NOT NULL", f"UNIQUE ({', '.join(names)}, read_at)"]
    table.wishes.append(f"rows: {{per: {called(names, owner)}, every: {span}}}")
    table.rows, table.each = owner.rows, owner
    return True


def chained(chance: Random, table: Table, owner: Table, before: list[Table]) -> bool:
    """Each row refers to the one before it, at most one row to each; sometimes within the same owner."""
    within = len(owner.key) == 1 and chance.random() < 0.5
    names = reference(table, table, "last", chance.choice(["", "NOT NULL"]))
    table.columns.append(f"UNIQUE ({names[0]})")
    if within:
        of = called(reference(table, owner, "of"), owner)
        table.wishes.append(f"references: {{last: {{same: [{of}]}}}}")
    table.wishes.append(f"rows: {table.rows}")
    return True


def forest(chance: Random, table: Table, owner: Table, before: list[Table]) -> bool:
    """Trees of a declared form; sometimes of one owner each, sometimes links between siblings."""
    roots, depth, most = chance.randint(1, 4), chance.randint(2, 4), chance.randint(2, 5)
    table.rows = min(table.rows, roots * sum(most**level for level in range(depth)))
    table.wishes.append(f"rows: {table.rows}")
    reference(table, table, "above", chance.choice(["", "NOT NULL"]))
    wishes = [f"above: {{tree: {{roots: {roots}, depth: {depth}, most: {most}}}}}"]
    if len(owner.key) == 1 and chance.random() < 0.6:
        of = called(reference(table, owner, "of"), owner)
        reference(table, table, "beside", "")
        wishes.append(f"beside: {{same: [{of}]}}")
        if chance.random() < 0.5:
            wishes[0] = f"above: {{same: [{of}], tree: {{roots: {roots}, depth: {depth}, most: {most}}}}}"
    table.wishes.append(f"references: {{{', '.join(wishes)}}}")
    return True


def arc(chance: Random, table: Table, owner: Table, before: list[Table]) -> bool:
    """Exactly one of several references is there."""
    columns = [reference(table, chance.choice(_simple(before) or [owner]), f"arm{i}", "")[0] for i in range(chance.randint(2, 3))]
    if not _simple(before):
        return False
    alone = [" AND ".join(f"{other} IS {'NOT ' * (other == one)}NULL" for other in columns) for one in columns]
    forms = [
        " OR ".join(f"({side})" for side in alone),
        " + ".join(f"CASE WHEN {c} IS NULL THEN 0 ELSE 1 END" for c in columns) + " = 1",
    ]
    table.columns.append(f"CHECK ({chance.choice(forms)})")
    table.wishes.append(f"rows: {table.rows}")
    return True


def weighted(chance: Random, table: Table, owner: Table, before: list[Table]) -> bool:
    """Some rows by weight; or so many for each row of the target."""
    known = [other for other in _simple(before) if other.exact and other.rows >= 2]
    if not known:
        return False
    target = chance.choice(known)
    by = called(reference(table, target, "by"), target)
    if chance.random() < 0.5 and "int" in target.key[0][1]:
        wish = "weights: {1: 5, 2: 3}"
    else:
        least, most, none = chance.choice([(0, 3, 0.0), (1, 4, 0.0), (2, 5, 0.5)])
        others = target.rows - round(none * target.rows)
        table.rows = chance.randint(max(1, others * least), others * most)
        wish = f"rows: {{least: {least}, most: {most}, none: {none}}}"
    table.wishes += [f"rows: {table.rows}", f"references: {{{by}: {{{wish}}}}}"]
    return True


def by_name(chance: Random, table: Table, owner: Table, before: list[Table]) -> bool:
    """A reference to a unique text that is not a key; sometimes at most one to each."""
    found = [(t, line.split()[0], line.split()[1]) for t in before for line in t.columns if line.endswith("NOT NULL UNIQUE")]
    if not found:
        return False
    target, column, kind = chance.choice(found)
    tail = chance.choice(["", " NOT NULL"])
    table.columns += [f"whose_{column} {kind}{tail}", f"FOREIGN KEY (whose_{column}) REFERENCES {target.name} ({column})"]
    if chance.random() < 0.3:
        table.columns.append(f"UNIQUE (whose_{column})")
        table.rows = min(table.rows, target.rows or 1)
    table.wishes.append(f"rows: {table.rows if target.rows else 0}")
    table.rows = table.rows if target.rows else 0
    return True


def ordered(chance: Random, table: Table, owner: Table, before: list[Table]) -> bool:
    """Two references of which one goes to the greater key: mostly each such pair once, sometimes beside a number."""
    found = [target for target in _simple(before) if target.rows > 2]
    if not found:
        return False
    target = chance.choice(found)
    low, high = reference(table, target, "lesser"), reference(table, target, "greater", chance.choice(["NOT NULL", ""]))
    sign, pairs = chance.choice([("<", target.rows * (target.rows - 1) // 2), ("<=", target.rows * (target.rows + 1) // 2)])
    table.columns.append(f"CHECK ({low[0]} {sign} {high[0]})")
    rule = chance.choice(["", "{low}, {high}", "{low}, {high}", "{high}, turn", "{low}, {high}, turn"])
    if "turn" in rule:
        table.columns.append("turn smallint NOT NULL CHECK (turn BETWEEN 1 AND 12)")
    if rule:
        table.columns.append(f"UNIQUE ({rule.format(low=low[0], high=high[0])})")
        table.rows = min(table.rows, pairs if rule == "{low}, {high}" else target.rows)
    table.wishes.append(f"rows: {table.rows}")
    return True


SHAPES = (by_name, ordered, filtered, tied, tied, asunder, paired, hourly, chained, forest, arc, weighted)
