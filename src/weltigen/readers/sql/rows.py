"""Rows that the source itself holds, by INSERT or COPY: they become fixed rows."""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Iterable, Iterator

from ...model import Field, FixedRow, TypeName
from ...model.literals import read_stored
from ...model.types import INTEGERS
from ..drafts import TableDraft
from .cursor import Cursor
from .mysql_types import widened
from .reading import Reading, names_in, shortened
from .tokens import Script, Statement, Token

_MOMENTS = (TypeName.DATE, TypeName.TIME, TypeName.TIMESTAMP, TypeName.TIMESTAMPTZ)
_TRUTH = {"t": "true", "f": "false", "1": "true", "0": "false", "true": "true", "false": "false", "y": "true", "n": "false"}


class _Absent:
    """A value that the source does not say: the database computes it, so it is generated here."""


ABSENT = _Absent()
Given = str | None | _Absent


def read_insert(reading: Reading, statement: Statement, cursor: Cursor) -> None:
    """Behind INSERT or REPLACE; sets the statement's end where it goes through the rows itself."""
    while cursor and not cursor.take("INTO"):
        cursor.next()
    place = cursor.place()
    table = reading.draft.find(reading.table_name(cursor)[1]) if cursor.is_name() else None
    if table is None:
        reading.notice("INSERT into a table that is not declared", place)
        return
    cursor.take("AS") and cursor.next()
    columns = tuple(map(table.spelled, names_in(cursor.group()))) if cursor.sees("(") else None
    cursor.take("OVERRIDING", "SYSTEM", "VALUE") or cursor.take("OVERRIDING", "USER", "VALUE")
    writer = _Rows(reading, table, columns)
    if statement.values is not None:
        tokens = reading.script.tokens(statement.values)
        before = len(table.fixed)
        for row in _value_rows(reading.script, tokens, statement):
            writer.add(row, statement.values)
        if len(table.fixed) == before:
            reading.notice(f"INSERT into {table.name}: its rows are not understood", place)
    elif cursor.take("DEFAULT", "VALUES"):
        writer.columns = ()
        writer.add([], cursor.offset)
    elif cursor.take("SET"):
        pairs = [(item.name(), item) for item in cursor.items()]
        writer.columns = tuple(table.spelled(name) for name, _ in pairs)
        writer.add([_given(item.tokens[item.at + 1 : item.stop]) for _, item in pairs], cursor.offset)
    else:
        reading.notice(f"INSERT into {table.name} from a query: its rows are not known", place)


def _value_rows(script: Script, tokens: Iterable[Token], statement: Statement) -> Iterator[list[Given]]:
    """The rows between VALUES and the end; whatever follows them (ON CONFLICT …) is passed over."""
    row: list[Given] = []
    item: list[Token] = []
    depth, over = 0, False
    for token in tokens:
        kind, value, _, end, _ = token
        if kind == "sign" and not over:
            if value == "(":
                depth += 1
                if depth == 1:
                    row, item = [], []
                    continue
            elif value == ")":
                depth -= 1
                if depth == 0:
                    row.append(_given(item))
                    yield row
                    continue
            elif value == "," and depth == 1:
                row.append(_given(item))
                item = []
                continue
        if kind == "sign" and value == ";" and depth <= 0:
            statement.end = end
            return
        if depth > 0:
            item.append(token)
        elif kind == "word":
            over = True
    statement.end = len(script.sql)


def _given(tokens: list[Token]) -> Given:
    """The literal that an item of VALUES is; ABSENT for anything that would have to be computed."""
    cast = next((i for i, t in enumerate(tokens) if t.kind == "sign" and t.value == "::"), None)
    tokens = tokens if cast is None else tokens[:cast]
    if len(tokens) == 2 and tokens[0].value in "+-" and tokens[1].kind == "number":
        return tokens[1].value if tokens[0].value == "+" else f"-{tokens[1].value}"
    if len(tokens) == 2 and tokens[0].kind == "word" and tokens[1].kind == "text":
        return tokens[1].value  # DATE '2024-01-01', TIMESTAMP '…'
    if len(tokens) != 1:
        return ABSENT
    kind, value = tokens[0].kind, tokens[0].value
    if kind == "number" and value[:2] in ("0x", "0X"):
        return "\\x" + value[2:]
    if kind in ("text", "number"):
        return value
    if kind == "name":
        return value  # MySQL writes texts in double quotes too
    return {"NULL": None, "TRUE": "true", "FALSE": "false"}.get(value.upper(), ABSENT)


def read_copy(reading: Reading, statement: Statement, cursor: Cursor) -> None:
    """COPY … FROM stdin with the lines behind it."""
    table = reading.table(cursor)
    if table is None or statement.rows is None:
        return
    columns = tuple(map(table.spelled, names_in(cursor.group()))) if cursor.sees("(") else None
    options = cursor.text().upper()
    if not statement.closed:
        raise reading.script.fault(
            f"the rows of COPY {table.name} do not end", statement.tokens[0].start, "is the file complete?"
        )
    text = reading.script.sql[statement.rows[0] : statement.rows[1]]
    writer = _Rows(reading, table, columns)
    rows = _csv_rows(text, options) if "CSV" in options else _text_rows(text, options)
    for row in rows:
        writer.add(row, statement.rows[0])


_ESCAPE = re.compile(r"\\(.)", re.S)
_ESCAPED = {"n": "\n", "t": "\t", "r": "\r", "b": "\b", "f": "\f", "v": "\v"}


def _text_rows(text: str, options: str) -> Iterator[list[Given]]:
    for line in text.splitlines():
        yield [
            None if v == r"\N" else _ESCAPE.sub(lambda m: _ESCAPED.get(m[1], m[1]), v) if "\\" in v else v
            for v in line.split("\t")
        ]


def _csv_rows(text: str, options: str) -> Iterator[list[Given]]:
    lines = csv.reader(io.StringIO(text))
    if "HEADER" in options:
        next(lines, None)
    for line in lines:
        yield [value if value != "" else None for value in line]


class _Rows:
    """Turns the values of a row into a fixed row: typed by its columns, completed as the database would complete it."""

    def __init__(self, reading: Reading, table: TableDraft, columns: tuple[str, ...] | None) -> None:
        self.reading, self.table = reading, table
        self.named = columns is not None  # without names, values are for the first columns
        self.columns = tuple(f.name for f in table.fields if not f.generated) if columns is None else columns
        self._fields = {f.name: f for f in table.fields}
        self._told: set[str] = set()

    def add(self, values: list[Given], offset: int) -> None:
        given: dict[str, str | None] = {}
        columns = self.columns[: len(values)] if not self.named else self.columns
        if len(values) != len(columns):
            self._tell(
                "", f"{self.table.name}: a row of {len(values)} values for {len(self.columns)} columns is passed over", offset
            )
            return
        for column, value in zip(columns, values, strict=True):
            field = self._fields.get(column)
            if field is None:
                self._tell(column, f"{self.table.name} has no column {column} for the rows inserted here", offset)
            elif field.generated or isinstance(value, _Absent):
                if not field.generated:
                    self._tell(
                        column,
                        f"{self.table.name}.{column}: the value inserted is computed by the database; made up here",
                        offset,
                    )
            else:
                text = self._literal(field, value, offset)
                if not isinstance(text, _Absent):
                    given[column] = text
        for field in self.table.fields:
            if field.name not in columns and not field.identity and not field.generated and not self._numbered(field):
                default = _usual(field)
                if not isinstance(default, _Absent):
                    given[field.name] = default
        row: FixedRow = tuple(given.items())
        self.table.fixed.append(row)

    def _numbered(self, field: Field) -> bool:
        """SQLite's whole number that is the key: the database numbers what an INSERT leaves out, or gives as null."""
        return self.table.key == (field.name,) and field.type.name in INTEGERS

    def _literal(self, field: Field, value: str | None, offset: int) -> Given:
        if value is None:
            return None if field.nullable and not self._numbered(field) else ABSENT
        text = as_written(field, value)
        try:
            read_stored(text, field.type)
        except ValueError as error:
            if (wide := widened(field, text)) is not None:
                self.table.replace_field(field.name, type=wide)
                return text
            self._tell(field.name, f"{self.table.name}.{field.name}: {error}; made up here", offset)
            return ABSENT
        return text

    def _tell(self, about: str, what: str, offset: int) -> None:
        """Each thing once for a statement, not once for a row."""
        if about not in self._told:
            self._told.add(about)
            self.reading.notice(shortened(what, 110), self.reading.script.place(offset))


def as_written(field: Field, value: str) -> str:
    """The literal in our own spelling where databases write others: t for true, a space in a time."""
    if field.type.name is TypeName.BOOLEAN:
        return _TRUTH.get(value.lower(), value)
    if field.type.name in _MOMENTS:
        return value.strip()
    return value


def _usual(field: Field) -> Given:
    """What the database puts where an INSERT says nothing: the default when it is a literal, null when there is none."""
    if field.default is None:
        return None if field.nullable else ABSENT
    found = re.fullmatch(
        r"\(*\s*(?:'((?:[^']|'')*)'|(-?\d+(?:\.\d+)?)|(true|false))\s*(?:::[\w\s()\".]+)?\)*", field.default, re.I
    )
    if found is None:
        return ABSENT
    text = found[1].replace("''", "'") if found[1] is not None else found[2] or found[3]
    text = as_written(field, text)
    try:
        read_stored(text, field.type)
    except ValueError:
        return ABSENT
    return text
