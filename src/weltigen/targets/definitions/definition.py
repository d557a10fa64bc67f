"""The statements that make a table in a database, apart by what may fail and by when they are best run."""

from __future__ import annotations

import re
from abc import ABC, abstractmethod
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from ...expression import NotEvaluableError, parse
from ...model import Check, Entity, Field, OnDelete, Relation, TypeName, Unique, World
from ...model.types import INTEGERS, MOMENTS, NUMBERS, TEXTS, FieldType
from ...stored.names import family, literal, quoted, table_name

_SQLGLOT = {"postgresql": "postgres", "standard": "postgres", "mariadb": "mysql"}
_NOW = re.compile(
    r"(?i)\(?(now\(\)|current_timestamp(\(\d?\))?|transaction_timestamp\(\)|statement_timestamp\(\)|localtimestamp(\(\d?\))?"
    r"|datetime\('now'\))\)?"
)


@dataclass(frozen=True, slots=True, kw_only=True)
class Extra:
    """A default or a check, which a database may refuse where it calls a function that is not there; `words` say what it is."""

    sql: str
    words: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Definition:
    """One table: statements `before` it, `create` with every default and check, `bare` without those that may fail, which
    `extras` add; `keys` and `references` can be added when the rows are there. `left_out`: what the database cannot express, in
    words."""

    entity: str
    table: str
    before: tuple[str, ...] = ()
    create: str
    bare: str
    extras: tuple[Extra, ...] = ()
    keys: tuple[str, ...] = ()
    references: tuple[str, ...] = ()
    left_out: tuple[str, ...] = ()


class Definer(ABC):
    """Writes definitions in one dialect: as they were declared where the model is of the same one, else translated."""

    dialect: str  # the family; also sqlglot's name but for PostgreSQL's
    sqlglot: str

    def __init__(self, world: World) -> None:
        self.world = world
        self.same = family(world.dialect) == self.dialect
        self._names: set[str] = set()  # of indexes and constraints so far

    def definitions(self, entities: Sequence[Entity]) -> list[Definition]:
        return [self.definition(entity) for entity in entities]

    @abstractmethod
    def definition(self, entity: Entity) -> Definition: ...

    @abstractmethod
    def type_of(self, entity: Entity, field: Field) -> str: ...

    def name(self, text: str) -> str:
        return quoted(text, self.dialect)

    def table(self, entity: Entity) -> str:
        return table_name(entity, self.dialect)

    def listed(self, names: Sequence[str]) -> str:
        return ", ".join(map(self.name, names))

    # what may be written in another way here

    def expression(self, text: str, dialect: str | None) -> str | None:
        """An expression in this dialect; None where it reads other rows or cannot be translated."""
        if self.same:
            return text
        try:
            parsed = parse(text, _SQLGLOT.get(dialect or "", dialect))
        except NotEvaluableError:
            return None
        if parsed.aggregates or any("." in path for path in parsed.paths):
            return None
        return parsed.sql(self.sqlglot)

    def checks(self, entity: Entity) -> Iterator[tuple[Check, str | None]]:
        for check in entity.checks:
            yield check, self.expression(check.expression, check.dialect)

    def limits(self, field: Field) -> str | None:
        """What a type's name does not say of its numbers, where the model's database has types that this one does not have."""
        least, most, name = field.type.least, field.type.most, self.name(field.name)
        parts = [f"{name} >= {least}"] * (least is not None) + [f"{name} <= {most}"] * (most is not None)
        return " AND ".join(parts) or None

    def default(self, field: Field) -> str | None:
        """A field's default in this dialect: as it was written, else where it is a literal or the present moment."""
        text = field.default
        if text is None or field.generated is not None or self.counts_up(field):
            return None
        if self.same:
            return text if _is_sql(text, field.type) else literal(text, self.dialect)
        if _NOW.fullmatch(text):
            return "CURRENT_TIMESTAMP" if field.type.name in (TypeName.TIMESTAMP, TypeName.TIMESTAMPTZ) else None
        if re.fullmatch(r"[-+]?\d+(\.\d+)?", text) and field.type.name in NUMBERS:
            return text
        if field.type.name is TypeName.BOOLEAN:
            return {"true": "TRUE", "t": "TRUE", "1": "TRUE", "false": "FALSE", "f": "FALSE", "0": "FALSE"}.get(
                text.lower().strip("'").removeprefix("b'")
            )
        if re.fullmatch(r"'(?:[^']|'')*'", text) and "\\" not in text:
            return text
        plain = field.type.name in TEXTS | MOMENTS | {TypeName.ENUM, TypeName.UUID, TypeName.TIME}
        return literal(text, self.dialect) if plain and re.fullmatch(r"[\w .:+-]+", text) else None

    def counts_up(self, field: Field) -> bool:
        return field.identity and field.type.name in INTEGERS

    def reference(self, relation: Relation, name: str | None) -> str:
        target = self.world.entity(relation.target)
        rules = [f"ON DELETE {relation.on_delete.upper()}"] * (relation.on_delete is not OnDelete.NO_ACTION)
        rules += [f"ON UPDATE {relation.on_update.upper()}"] * (relation.on_update is not OnDelete.NO_ACTION)
        named = f"CONSTRAINT {self.name(name)} " if name else ""
        return (
            f"{named}FOREIGN KEY ({self.listed(relation.columns)}) REFERENCES {self.table(target)}"
            f" ({self.listed(relation.target_columns)}) {' '.join(rules)}".rstrip()
        )

    def kept(self, entity: Entity) -> tuple[list[Relation], list[str]]:
        """References that the database can hold, and the others in words: to what is not unique, or that nobody declared."""
        declared = [relation for relation in entity.relations if relation.guess is None]
        loose = [r for r in declared if not self.world.entity(r.target).tells_apart(r.target_columns)]
        words = [f"reference {r.label} to {r.target} ({', '.join(r.target_columns)}), which is not unique" for r in loose]
        return [relation for relation in declared if relation not in loose], words

    def index_name(self, entity: Entity, name: str | None, columns: Sequence[str], most: int) -> str:
        """A name unlike all others so far, of at most `most` bytes."""
        text = name or f"{entity.name.replace('.', '_')}_{'_'.join(re.sub(r'[^A-Za-z0-9]+', '_', c) for c in columns)}_idx"
        text = text.encode()[:most].decode(errors="ignore")
        number = 2
        unlike = text
        while unlike.casefold() in self._names:
            end = f"_{number}"
            unlike = text.encode()[: most - len(end)].decode(errors="ignore") + end
            number += 1
        self._names.add(unlike.casefold())
        return unlike

    def unindexed(self, entity: Entity) -> Iterator[Relation]:
        """References of which no rule and no index begins with the columns: children are found, and parents deleted, by one."""
        begun = {rule.columns[:n] for rule in entity.unique_rules for n in range(1, len(rule.columns) + 1)}
        begun |= {index.columns[:n] for index in entity.indexes if not index.where for n in range(1, len(index.columns) + 1)}
        for relation in entity.relations:
            if relation.columns not in begun:
                begun.add(relation.columns)
                yield relation


def plain_rules(entity: Entity) -> list[Unique]:
    """Unique rules over plain columns of all rows, but for the primary key."""
    return [rule for rule in entity.uniques if not rule.expressions and not rule.where and rule.columns != entity.key]


def _is_sql(text: str, field_type: FieldType) -> bool:
    """Whether a default stands as SQL; a world file's own models and Python's declarations may write a bare word."""
    if field_type.name in NUMBERS or text.startswith(("'", "(", "E'", "e'", "b'", "B'", "x'", "X'", "N'")):
        return True
    if "(" in text or "::" in text or _NOW.fullmatch(text):
        return True
    return text.upper() in ("TRUE", "FALSE", "NULL", "CURRENT_DATE", "CURRENT_TIME", "CURRENT_USER", "SESSION_USER", "LOCALTIME")
