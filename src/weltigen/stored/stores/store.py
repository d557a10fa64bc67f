"""Stored data that can be asked in SQL: the few words in which a folder of files and a database both answer."""

from __future__ import annotations

from abc import ABC, abstractmethod
from datetime import date, datetime, time
from typing import Any

from ...model import Entity, FieldType, TypeName
from ...model.literals import read_literal
from ...model.types import NUMBERS
from ..names import literal, quoted

_SECONDS = "%Y-%m-%d %H:%M:%S"
# what a value of a type looks like where it is kept as a text
LOOKS = {
    TypeName.ARRAY: r"(?s)\{.*\}|\[.*\]",
    TypeName.BIT: "[01]*",
    TypeName.INET: "[0-9a-fA-F.:]+(/[0-9]{1,3})?",
    TypeName.MACADDR: "([0-9a-fA-F]{2}[:-]?){5,7}[0-9a-fA-F]{2}",
    TypeName.INTERVAL: "-?P[-0-9.YMWDTHS]+|.*[0-9].*",
}
UUID = "[0-9a-fA-F]{8}-([0-9a-fA-F]{4}-){3}[0-9a-fA-F]{12}"


class NotAnswered(Exception):
    """A query that the place cannot run; the text says why."""


class Store(ABC):
    """Data that can be asked. `table(entity)` is what stands after FROM."""

    dialect: str
    keeps_order = True  # rows come in the order in which they were written

    @abstractmethod
    def columns(self, entity: Entity) -> dict[str, str] | None:
        """The stored columns of an entity with their types as the place calls them; None where it has no table."""

    @abstractmethod
    def table(self, entity: Entity) -> str: ...

    @abstractmethod
    def query(self, sql: str) -> list[tuple[Any, ...]]:
        """All rows of an answer; NotAnswered where the place cannot run it."""

    @abstractmethod
    def wrong_type(self, entity: Entity, column: str, field_type: FieldType) -> str | None:
        """A condition that is true where the stored value is none of the type; None where the place rules that out."""

    def absent(self, column: str) -> str:
        """A condition that is true where nothing is stored."""
        return f"{quoted(column)} IS NULL"

    def as_text(self, column: str, field_type: FieldType) -> str:
        """A column as it is compared with texts; of an enumeration its labels."""
        return column

    def compares_as(self, dialect: str | None) -> bool:
        """Whether the place compares texts as the database of a model does, by itself."""
        return False

    def counted(self, query: str, columns: int) -> str:
        """A query for how many rows another one gives, of so many columns."""
        return f"SELECT count(*) FROM ({query}) AS broken"

    def exactly(self, column: str, field_type: FieldType) -> str:
        """A column as an expression that gives every digit of it."""
        return column

    def without_last_spaces(self, column: str) -> str:
        return f"rtrim({column}, ' ')"

    def same_json(self, column: str, literal: str) -> str:
        """A condition that two JSON values are equal."""
        return f"json({column}) = json({literal})"

    @abstractmethod
    def is_float(self, value: str) -> str:
        """A condition that a value is a float, the last bits of which may differ."""

    @abstractmethod
    def matches(self, column: str, pattern: str) -> str: ...

    @abstractmethod
    def seconds(self, column: str, field_type: FieldType) -> str:
        """A time as a number of seconds."""

    def literal(self, text: str, field_type: FieldType) -> str:
        """A literal as SQL, typed by its field."""
        value = read_literal(text, field_type)
        if isinstance(value, bool):
            return str(int(value)) if self.dialect == "sqlite" else str(value).upper()
        if isinstance(value, datetime):
            return self.moment(value.strftime(_SECONDS) + (f".{value.microsecond:06d}" if value.microsecond else ""), field_type)
        if isinstance(value, date | time):
            return self.moment(value.isoformat(), field_type)
        if field_type.name in NUMBERS:
            return str(value)
        if isinstance(value, bytes):
            return self.bytes_literal(value)
        return literal(str(value))

    def bytes_literal(self, value: bytes) -> str:
        return f"X'{value.hex()}'"

    def moment(self, text: str, field_type: FieldType) -> str:
        return literal(text)

    @abstractmethod
    def close(self) -> None: ...
