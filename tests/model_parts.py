"""What the makers of models share: a table while it is made up, and references between tables."""

from __future__ import annotations

from dataclasses import dataclass, field


@dataclass
class Made:
    """A model in SQL with the world file over it; `special` are unique rules that only some databases know."""

    sql: str
    yaml: str
    entities: list[str] = field(default_factory=list)
    special: str = ""


@dataclass
class Table:
    name: str
    key: list[tuple[str, str]]
    rows: int  # the fewest that there may be
    columns: list[str] = field(default_factory=list)
    wishes: list[str] = field(default_factory=list)
    fields: list[str] = field(default_factory=list)
    exact: bool = False  # there are just so many rows, and their numbers count up
    each: Table | None = None  # every row of that table owns some of these
    above: dict[str, Table] = field(default_factory=dict)  # required references by the names they have in the world file


def reference(table: Table, target: Table, prefix: str, tail: str = "NOT NULL") -> list[str]:
    """Columns that hold a target's key, and the reference itself; the names of the columns."""
    names = [f"{prefix}_{name}" for name, _ in target.key]
    table.columns += [f"{column} {kind} {tail}".rstrip() for column, (_, kind) in zip(names, target.key, strict=True)]
    table.columns.append(f"FOREIGN KEY ({', '.join(names)}) REFERENCES {target.name} ({', '.join(n for n, _ in target.key)})")
    if tail == "NOT NULL" and target is not table and len(names) == 1:
        table.above[called(names, target)] = target
    return names


def called(names: list[str], target: Table) -> str:
    """The name that a reference by these columns has in the world file."""
    return names[0].removesuffix("_id") if len(names) == 1 else target.name
