"""An SQL script: definitions and rows in one dialect, as the database's own client reads it; compressed if the name says so."""

from __future__ import annotations

import gzip
import os
import sys
from collections.abc import Mapping
from contextlib import suppress
from pathlib import Path
from typing import Any, BinaryIO

from ..model import Entity
from ..model.problems import RefusedError, TargetError, UsageError, nearest
from ..model.types import INTEGERS
from ..plan import Plan
from ..stored.names import family, literal, quoted, table_name
from ..stored.receipts import Receipt, receipt_path
from ..stored.sql_text import copy_lines, insert_statements
from .databases.place import may_come_later
from .definitions import definer_for
from .definitions.definition import Definition
from .locks import Lock
from .target import Begun, Intent, not_made, rows_to_write

SCRIPTS = ("postgresql", "mariadb", "mysql", "sqlite")  # the dialects of scripts
_ENDINGS = (".sql", ".sql.gz")
_HEADS = {
    "postgresql": "SET client_encoding = 'UTF8';\nSET standard_conforming_strings = on;\nSET TimeZone = 'UTC';\n",
    "mysql": "SET NAMES utf8mb4;\nSET SESSION time_zone = '+00:00';\n"
    "SET SESSION sql_mode = 'STRICT_ALL_TABLES,NO_ZERO_DATE,NO_ZERO_IN_DATE,NO_AUTO_VALUE_ON_ZERO';\n"
    "SET SESSION foreign_key_checks = 0;\n",
    "sqlite": "PRAGMA foreign_keys = OFF;\n",
}


def is_script(into: str | Path) -> bool:
    """Whether a target's name is a script's: `-`, which is stdout, or one that ends in .sql or .sql.gz."""
    return str(into) == "-" or (str(into).lower().endswith(_ENDINGS) and not Path(into).is_dir())


_PUT_OFF = (
    "CREATE TEMPORARY TABLE weltigen_put_off ON COMMIT DROP AS"
    " SELECT conrelid::regclass::text AS at, quote_ident(conname) AS name FROM pg_constraint"
    " WHERE contype = 'f' AND NOT condeferrable AND conparentid = 0 AND conrelid IN ({tables});\n"
)
_ALTER = (
    "DO $$ DECLARE one record; BEGIN FOR one IN SELECT * FROM weltigen_put_off LOOP"
    " EXECUTE format('ALTER TABLE %s ALTER CONSTRAINT %s {how}', one.at, one.name); END LOOP; END $$;\n"
)


class ScriptTarget:
    """One transaction from the first statement to the last. A script for PostgreSQL copies its rows, as psql reads them; the
    others insert many rows at once."""

    def __init__(self, into: str | Path, dialect: str | None, ddl: bool) -> None:
        if dialect is not None and dialect not in SCRIPTS:
            hint = nearest(dialect, SCRIPTS)
            raise UsageError(f"no script is written in '{dialect}'", hint=hint or f"there are: {', '.join(SCRIPTS)}")
        self.path = None if str(into) == "-" else Path(into)
        self.name = str(into) if self.path is not None else "stdout"
        self.notes: tuple[str, ...] = ()
        self._asked, self._ddl = dialect, ddl
        self.dialect = ""
        self._lock = Lock(self.path) if self.path is not None else None
        self._draft: Path | None = None
        self._out: BinaryIO | None = None
        self._plan: Plan | None = None
        self._definitions: list[Definition] = []
        self._last: list[str] = []

    def intend(self, plan: Plan, there: Mapping[str, int] | None = None) -> Intent:
        self._look(plan, there)
        return Intent(target=self.name, creates=(self.name,), writes=rows_to_write(plan, there))

    def _look(self, plan: Plan, there: Mapping[str, int] | None) -> None:
        if there is not None:
            raise UsageError("rows cannot be added to a script", hint="write another script")
        self._plan = plan
        asked = self._asked or plan.world.dialect
        self.dialect = family(asked) if asked in SCRIPTS else "postgresql"
        if self.path is not None and not self.path.parent.is_dir():
            said = f"there is no folder {self.path.parent} to make {self.path.name} in"
            raise UsageError(said, hint=f"mkdir -p {self.path.parent}")
        if self.path is not None and self.path.exists():
            said = f"{self.path} is there already; nothing was changed"
            raise RefusedError(said, hint="choose another name, or remove it first")

    def prepare(self, plan: Plan, there: Mapping[str, int] | None = None) -> None:
        self._look(plan, there)
        if self.path is not None:
            self._open(self.path)
        else:
            self._out = sys.stdout.buffer
        self._write(f"-- {plan.world.name}, seed {plan.seed}: made by weltigen for {self._asked or self.dialect}\n")
        self._write(_HEADS[self.dialect])
        if self._ddl:
            self._define(plan)
        self._write("BEGIN;\n" if self.dialect != "mysql" else "START TRANSACTION;\n")
        if self.dialect == "postgresql" and not self._ddl:
            self._put_off_references(plan)

    def _put_off_references(self, plan: Plan) -> None:
        """References of tables that are there, to rows that come later, are looked at in the end."""
        late = [e for e in plan.world.entities if any(may_come_later(relation, plan) for relation in e.relations)]
        if late:
            tables = ", ".join(f"{literal(table_name(entity, self.dialect))}::regclass" for entity in late)
            self._write(_PUT_OFF.format(tables=tables) + _ALTER.format(how="DEFERRABLE INITIALLY DEFERRED"))
            self._write("SET CONSTRAINTS ALL DEFERRED;\n")
            self._last += ["SET CONSTRAINTS ALL IMMEDIATE", _ALTER.format(how="NOT DEFERRABLE").rstrip(";\n")]

    def _open(self, path: Path) -> None:
        assert self._lock is not None
        self._lock.take()
        self._draft = path.with_name(f".{path.name}.{os.getpid()}.partial")
        try:
            plain = self._draft.open("wb")
        except OSError as error:
            self._lock.release()
            raise TargetError(f"cannot write beside {path}: {(error.strerror or str(error)).lower()}") from None
        # no time of day in its head, so that the same rows are the same bytes
        self._out = gzip.GzipFile("", "wb", 6, plain, mtime=0) if path.suffix == ".gz" else plain  # type: ignore[assignment]
        self._plain = plain

    _plain: BinaryIO | None = None

    def _define(self, plan: Plan) -> None:
        entities = [plan.entities[name].entity for name in plan.order]
        if self.dialect == "sqlite":
            from .definitions.sqlite import definitions, left_out

            for statement in definitions(plan.world, entities):
                if statement.lstrip().startswith("CREATE TABLE"):
                    self._write(statement.strip() + ";\n")
                else:
                    self._last.append(statement)
            self.notes = tuple(not_made(rule) for entity in entities for rule in left_out(plan.world, entity))
            return
        self._definitions = definer_for(self.dialect, plan.world).definitions(entities)
        seen: set[str] = set()
        for one in self._definitions:
            for statement in one.before:
                if statement not in seen:
                    seen.add(statement)
                    self._write(statement + ";\n")
            self._write(one.create + ";\n")
        self.notes = tuple(not_made(rule) for one in self._definitions for rule in one.left_out)
        if self.dialect == "mysql":  # which then looks at the references that are added
            self._last.append("SET SESSION foreign_key_checks = 1")
        self._last += [key for one in self._definitions for key in one.keys]
        self._last += [reference for one in self._definitions for reference in one.references]

    def _write(self, text: str | bytes) -> None:
        assert self._out is not None
        self._out.write(text.encode() if isinstance(text, str) else text)

    def _entity(self, name: str) -> Entity:
        assert self._plan is not None
        return self._plan.entities[name].entity

    def convert(self, entity: str, batch: Any) -> Any:
        declared = self._entity(entity)
        columns = [quoted(name, self.dialect) for name in batch.schema.names]
        if self.dialect == "postgresql":
            head = f"COPY {table_name(declared, self.dialect)} ({', '.join(columns)}) FROM stdin;\n"
            return head.encode() + copy_lines(batch) + b"\\.\n"
        fields = [declared.field(name) for name in batch.schema.names]
        return "".join(insert_statements(table_name(declared, self.dialect), columns, batch, fields, self.dialect))

    def write(self, entity: str, converted: Any) -> None:
        self._write(converted)

    def begun(self) -> Mapping[str, Begun]:
        return {}

    def note(self, entity: str, rows: int, digest: bytes) -> None:
        """Nothing is gone on with here."""

    def complete(self, entity: str) -> None:
        """A script is one file."""

    def finish(self, receipt: Receipt) -> None:
        assert self._plan is not None
        for statement in self._last:
            self._write(statement + ";\n")
        if self.dialect == "postgresql":
            for name in self._plan.order:
                self._write(self._moved_on(self._entity(name)))
        self._write("COMMIT;\n")
        if self.path is None:
            sys.stdout.buffer.flush()
            return
        self._close()
        beside = receipt_path(self.path)
        beside.write_text(receipt.to_json(), "utf-8")
        assert self._draft is not None and self._lock is not None
        self._draft.rename(self.path)
        self._draft = None
        self._lock.release()

    def _moved_on(self, entity: Entity) -> str:
        """Statements after which the database's own numbers go on behind those of the rows."""
        table, out = table_name(entity, self.dialect), ""
        made = {one.entity: one.create for one in self._definitions}
        for field in entity.fields:
            column = quoted(field.name, self.dialect)
            if self._ddl:
                numbered = field.identity and f"{column} " in made[entity.name] and "AS IDENTITY" in made[entity.name]
            else:  # of a column without a series the function gives null, and nothing is set
                numbered = field.identity or (entity.key == (field.name,) and field.type.name in INTEGERS)
            if numbered:
                named = f"pg_get_serial_sequence({literal(table)}, {literal(field.name)})"
                out += f"SELECT setval({named}, max({column})) FROM {table} HAVING max({column}) IS NOT NULL;\n"
        return out

    def _close(self) -> None:
        if self._out is not None and self.path is not None:
            self._out.close()
            if self._plain is not None:
                self._plain.close()
        self._out = None

    def abandon(self) -> None:
        if self.path is None:
            return
        with suppress(OSError):
            self._close()
        if self._draft is not None:
            self._draft.unlink(missing_ok=True)
            self._draft = None
        if self._lock is not None:
            self._lock.release()
