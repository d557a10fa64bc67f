"""SQL data definitions: CREATE TABLE and what adds to it, parsed by sqlglot."""

from __future__ import annotations

import logging
import re
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

from sqlglot import exp, tokenize
from sqlglot import parse as parse_sql
from sqlglot.errors import ParseError, TokenError

from ..model import Check, Field, NotUnderstood, OnDelete, Place, Problem, Relation, Unique, World
from ..model.problems import UnreadableError, UsageError, nearest
from .drafts import ModelDraft, TableDraft
from .sql_types import SERIALS, field_type

DIALECTS = ("postgresql", "mariadb", "mysql", "sqlite", "standard")
_SQLGLOT = {"postgresql": "postgres", "mariadb": "mysql", "mysql": "mysql", "sqlite": "sqlite", "standard": "postgres"}
_DECLARES = r"(CREATE\s+(TEMP\w*\s+)?TABLE|ALTER\s+TABLE|CREATE\s+UNIQUE|CREATE\s+TYPE)\b"
_QUIET = (exp.Insert, exp.Set, exp.Pragma, exp.Transaction, exp.Commit, exp.Use, exp.Semicolon, exp.Drop)


def sqlglot_dialect(dialect: str | None) -> str:
    """The name by which sqlglot knows a dialect; UsageError for one that nobody knows."""
    if dialect is None:
        return "postgres"
    if dialect not in _SQLGLOT:
        raise UsageError(f"no SQL dialect is called '{dialect}'", hint=nearest(dialect, DIALECTS))
    return _SQLGLOT[dialect]


def guess_dialect(sql: str) -> str:
    """The dialect whose own signs the text holds; PostgreSQL's, the widest, without any."""
    if re.search(r"`|\bAUTO_INCREMENT\b|\bENGINE\s*=", sql, re.I):
        return "mysql"
    if re.search(r"\bAUTOINCREMENT\b|\bWITHOUT\s+ROWID\b|^\s*PRAGMA\b", sql, re.I | re.M):
        return "sqlite"
    return "postgresql"


def read_ddl(sql: str, file: str, dialect: str | None = None) -> World:
    """The world that SQL text declares; UnreadableError with line and column where it does not parse."""
    dialect = dialect or guess_dialect(sql)
    statements, passed_over = _parse(sql, file, dialect)
    reader = _Statements(sql, file, dialect)
    reader.draft.not_understood += passed_over
    for statement in statements:
        if statement is not None:
            reader.read(statement)
    if not reader.draft.tables and not reader.draft.problems:
        odd = reader.draft.not_understood
        raise UnreadableError(Problem(
            fact=f"no table is declared here; not understood: {odd[0].what}" if odd else "no table is declared here",
            place=odd[0].place if odd else Place(file=file), hint="a model needs at least one CREATE TABLE",
        ))  # fmt: skip
    return reader.draft.freeze(file, dialect)


def _parse(sql: str, file: str, dialect: str) -> tuple[list[Any], list[NotUnderstood]]:
    """All statements; where the text does not parse as a whole, one by one, so that an odd view does not hide the tables."""
    with _quiet_parser():
        try:
            return parse_sql(sql, dialect=sqlglot_dialect(dialect)), []
        except (ParseError, TokenError) as error:
            whole = error
        statements: list[Any] = []
        passed_over: list[NotUnderstood] = []
        for start, end in _statement_spans(sql, dialect):
            # blanks in place of what stands before keep lines and columns right
            blank = re.sub(r"[^\n]", " ", sql[:start])
            try:
                statements += parse_sql(blank + sql[start:end], dialect=sqlglot_dialect(dialect))
            except (ParseError, TokenError) as error:
                if re.match(_DECLARES, sql[start:end], re.I):
                    raise UnreadableError(_syntax_problem(error, sql, file, dialect)) from None
                what = " ".join(sql[start:end].split())
                place = Place(file=file, line=sql[:start].count("\n") + 1)
                passed_over.append(NotUnderstood(what=what if len(what) <= 60 else what[:59] + "…", place=place))
        if not any(isinstance(statement, exp.Create) for statement in statements):
            raise UnreadableError(_syntax_problem(whole, sql, file, dialect))
        return statements, passed_over


def _statement_spans(sql: str, dialect: str) -> Iterator[tuple[int, int]]:
    """Where each statement begins and ends, by the semicolons between tokens."""
    try:
        tokens = tokenize(sql, read=sqlglot_dialect(dialect))
    except TokenError:
        return
    start: int | None = None
    for token in tokens:
        if token.token_type.name == "SEMICOLON":
            if start is not None:
                yield start, token.start
            start = None
        elif start is None:
            start = token.start
    if start is not None:
        yield start, len(sql)


@contextmanager
def _quiet_parser() -> Iterator[None]:
    """sqlglot logs what it falls back on; we list that ourselves."""
    logger = logging.getLogger("sqlglot")
    was, logger.disabled = logger.disabled, True
    try:
        yield
    finally:
        logger.disabled = was


def _syntax_problem(error: Any, sql: str, file: str, dialect: str) -> Problem:
    hint = f"read as {dialect}; another dialect is said with --dialect ({', '.join(DIALECTS[:-1])})"
    if getattr(error, "errors", None):
        first = error.errors[0]
        near = (first.get("highlight") or "").strip() or "the end"
        column = max(1, (first.get("col") or 1) - max(0, len(near) - 1))
        return Problem(
            fact=f"SQL that cannot be read, at '{near}'",
            place=Place(file=file, line=first.get("line"), column=column),
            hint=hint,
        )
    return Problem(fact="SQL that cannot be read: a quote or a comment is not closed", place=Place(file=file), hint=hint)


class _Statements:
    """Reads statements one by one into a draft."""

    def __init__(self, sql: str, file: str, dialect: str) -> None:
        self.sql, self.file, self.dialect = sql, file, dialect
        self.draft = ModelDraft()

    def read(self, statement: Any) -> None:
        if isinstance(statement, exp.Create) and statement.kind == "TABLE" and isinstance(statement.this, exp.Schema):
            self._create_table(statement.this)
        elif isinstance(statement, exp.Create) and statement.kind == "INDEX":
            self._create_index(statement)
        elif isinstance(statement, exp.Create) and statement.kind == "TYPE" and isinstance(statement.expression, exp.DataType):
            values = tuple(part.name for part in statement.expression.expressions)
            self.draft.enums[statement.this.name.lower()] = values
        elif isinstance(statement, exp.Alter) and statement.args.get("kind") == "TABLE":
            self._alter_table(statement)
        elif isinstance(statement, exp.Comment):
            self._comment(statement)
        elif not isinstance(statement, _QUIET):
            self._step_over(statement)

    def _step_over(self, node: Any) -> None:
        text = " ".join(node.sql(dialect=sqlglot_dialect(self.dialect), comments=False).split())
        what = text if len(text) <= 60 else text[:59] + "…"
        self.draft.not_understood.append(NotUnderstood(what=what, place=self._place(node)))

    def _place(self, node: Any) -> Place:
        """The first identifier of the node whose offset is known."""
        for identifier in node.find_all(exp.Identifier):
            if (start := identifier.meta.get("start")) is not None:
                before = self.sql[:start]
                return Place(file=self.file, line=before.count("\n") + 1, column=start - before.rfind("\n"))
        # what was not parsed has no identifiers: look for its first words
        start = self.sql.find(node.sql(dialect=sqlglot_dialect(self.dialect), comments=False)[:40])
        return Place(file=self.file, line=self.sql[:start].count("\n") + 1) if start >= 0 else Place(file=self.file)

    def _table(self, table: Any) -> TableDraft | None:
        found = self.draft.tables.get(_table_name(table).lower())
        if found is None:
            known = [draft.name for draft in self.draft.tables.values()]
            name = _table_name(table)
            self.draft.problems.append(
                Problem(
                    fact=f"no table '{name}' is declared before this",
                    place=self._place(table),
                    hint=nearest(name, known),
                )
            )
        return found

    def _create_table(self, schema: Any) -> None:
        name = _table_name(schema.this)
        place = self._place(schema.this)
        if name.lower() in self.draft.tables:
            self.draft.problems.append(Problem(fact=f"table '{name}' is declared twice", place=place))
            return
        table = TableDraft(name=name, place=place, schema=schema.this.db or None)
        self.draft.tables[name.lower()] = table
        for part in schema.expressions:
            self._table_part(table, part)

    def _table_part(self, table: TableDraft, part: Any, constraint: str | None = None) -> None:
        place = self._place(part)
        if isinstance(part, exp.ColumnDef):
            self._column(table, part)
        elif isinstance(part, exp.Constraint):
            for inner in part.expressions:
                self._table_part(table, inner, part.name)
        elif isinstance(part, exp.PrimaryKey):
            table.key = _names(part.expressions)
        elif isinstance(part, exp.UniqueColumnConstraint) and part.this is not None:
            columns = _names(part.this.expressions if isinstance(part.this, exp.Schema) else [part.this])
            table.uniques.append(Unique(columns=columns, name=constraint, nulls_distinct=not part.args.get("nulls"), place=place))
        elif isinstance(part, exp.CheckColumnConstraint):
            table.checks.append(self._check(part, constraint))
        elif isinstance(part, exp.ForeignKey):
            self._reference(table, _names(part.expressions), part.args["reference"], constraint, place)
        elif isinstance(part, exp.IndexColumnConstraint):
            pass  # a plain index orders the data; it rules nothing out
        else:
            self._step_over(part)

    def _column(self, table: TableDraft, column: Any) -> None:
        place = self._place(column)
        kind = column.args.get("kind")
        name = column.name
        if any(known.name.lower() == name.lower() for known in table.fields):
            self.draft.problems.append(Problem(fact=f"{table.name}.{name} is declared twice", place=place))
            return
        if kind is None:
            kind = exp.DataType.build("text")
        changes: dict[str, Any] = {"identity": kind.this in SERIALS, "nullable": kind.this not in SERIALS}
        for constraint in column.args.get("constraints") or ():
            what = constraint.kind
            if isinstance(what, exp.NotNullColumnConstraint):
                changes["nullable"] = bool(what.args.get("allow_null"))
            elif isinstance(what, exp.PrimaryKeyColumnConstraint):
                table.key = (name,)
            elif isinstance(what, exp.UniqueColumnConstraint):
                table.uniques.append(Unique(columns=(name,), name=constraint.name or None, place=place))
            elif isinstance(what, exp.DefaultColumnConstraint):
                changes["default"] = what.this.sql(dialect=sqlglot_dialect(self.dialect), normalize_functions=False)
            elif isinstance(what, exp.CheckColumnConstraint):
                table.checks.append(self._check(what, constraint.name or None))
            elif isinstance(what, exp.Reference):
                self._reference(table, (name,), what, constraint.name or None, place)
            elif isinstance(what, exp.AutoIncrementColumnConstraint | exp.GeneratedAsIdentityColumnConstraint):
                changes["identity"] = True
            elif isinstance(what, exp.ComputedColumnConstraint):
                changes["generated"] = what.this.sql(dialect=sqlglot_dialect(self.dialect), normalize_functions=False)
            elif isinstance(what, exp.CommentColumnConstraint):
                changes["comment"] = what.name
            elif not isinstance(what, exp.CollateColumnConstraint | exp.CharacterSetColumnConstraint):
                self._step_over(constraint)
        table.fields.append(Field(name=name, type=field_type(kind, self.draft.enums, self.dialect), place=place, **changes))

    def _check(self, check: Any, name: str | None) -> Check:
        expression = check.this.sql(dialect=sqlglot_dialect(self.dialect), normalize_functions=False)
        return Check(expression=expression, name=name, dialect=sqlglot_dialect(self.dialect), place=self._place(check))

    def _reference(
        self, table: TableDraft, columns: tuple[str, ...], reference: Any, constraint: str | None, place: Place
    ) -> None:
        target = reference.this
        target_columns: tuple[str, ...] = ()
        if isinstance(target, exp.Schema):
            target_columns, target = _names(target.expressions), target.this
        if target_columns and len(target_columns) != len(columns):
            counts = f"{len(columns)} to {len(target_columns)} columns"
            fact = f"{table.name}.{'+'.join(columns)} cannot refer to {_table_name(target)}: {counts}"
            self.draft.problems.append(Problem(fact=fact, place=place, hint="each column refers to one column"))
            return
        options = [str(option).upper() for option in reference.args.get("options") or ()]
        table.relations.append(Relation(
            name="", entity=table.name, columns=columns, target=_table_name(target), target_columns=target_columns,
            constraint=constraint, place=place,
            on_delete=_action(options, "ON DELETE"), on_update=_action(options, "ON UPDATE"),
            deferrable="DEFERRABLE" in options, initially_deferred="INITIALLY DEFERRED" in options,
            match_full="MATCH FULL" in options,
        ))  # fmt: skip

    def _create_index(self, statement: Any) -> None:
        index = statement.this
        if not statement.args.get("unique"):
            return
        table = self._table(index.args["table"])
        if table is None:
            return
        parameters = index.args["params"]
        columns, expressions = [], []
        for part in parameters.args.get("columns") or ():
            inner = part.this if isinstance(part, exp.Ordered) else part
            if isinstance(inner, exp.Column):
                columns.append(inner.name)
            else:
                expressions.append(inner.sql(dialect=sqlglot_dialect(self.dialect), normalize_functions=False))
        where = parameters.args.get("where")
        table.uniques.append(Unique(
            columns=tuple(columns), expressions=tuple(expressions), name=index.name or None, place=self._place(index),
            where=where.this.sql(dialect=sqlglot_dialect(self.dialect), normalize_functions=False) if where is not None else None,
        ))  # fmt: skip

    def _alter_table(self, statement: Any) -> None:
        table = self._table(statement.this)
        if table is None:
            return
        for action in statement.args.get("actions") or ():
            if isinstance(action, exp.AddConstraint):
                for part in action.expressions:
                    self._table_part(table, part)
            elif isinstance(action, exp.ColumnDef):
                self._column(table, action)
            else:
                self._step_over(action)

    def _comment(self, statement: Any) -> None:
        text = statement.expression.name if statement.expression is not None else None
        target = statement.this
        if statement.args.get("kind") == "COLUMN" and (table := self.draft.tables.get(target.table.lower())):
            table.replace_field(target.name, comment=text)
        elif statement.args.get("kind") == "TABLE" and (table := self.draft.tables.get(_table_name(target).lower())):
            table.comment = text


def _table_name(table: Any) -> str:
    schema = table.db
    return f"{schema}.{table.name}" if schema and schema.lower() not in ("public", "main", "dbo") else str(table.name)


def _names(nodes: list[Any]) -> tuple[str, ...]:
    return tuple((node.this if isinstance(node, exp.Ordered) else node).name for node in nodes)


def _action(options: list[str], event: str) -> OnDelete:
    for action in OnDelete:
        if f"{event} {action.upper()}" in options:
            return action
    return OnDelete.NO_ACTION
