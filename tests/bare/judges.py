"""Real databases as judges: whether they take a script with its witness rows, and then the rows that were made, as CSV, by their
own clients, with every constraint on."""

from __future__ import annotations

import csv
import sqlite3
import subprocess
from base64 import b64decode
from collections.abc import Sequence
from pathlib import Path
from typing import Any

from sqlalchemy.engine import URL

from weltigen.model import Entity, Field, TypeName


def _ran(command: list[str], script: str, folder: Path | None = None) -> str | None:
    """What a client said when it failed."""
    done = subprocess.run(command, input=script, capture_output=True, text=True, cwd=folder, timeout=120)
    if not done.returncode and not done.stderr.strip():
        return None
    said = done.stderr or done.stdout or f"exit code {done.returncode}"
    return "\n".join(line for line in said.splitlines() if line.startswith("ERROR ")) or said.strip()


class Judge:
    """One database, emptied for each model."""

    dialect = ""
    url = ""  # of the database, where there is one

    def _run(self, script: str) -> str | None:
        raise NotImplementedError

    def empty(self) -> None:
        raise NotImplementedError

    def accepts(self, script: str) -> str | None:
        self.empty()
        return self._run(script)

    def loads(self, definitions: str, entities: Sequence[tuple[Entity, Path]]) -> str | None:
        """`entities` in fill order, each with its file."""
        self.empty()
        return self._run(definitions + "".join(self._loading(entity, file) for entity, file in entities))

    def _loading(self, entity: Entity, file: Path) -> str:
        raise NotImplementedError


def _columns(entity: Entity) -> list[Any]:
    return [field for field in entity.fields if field.generated is None]


def _double(name: str) -> str:
    return '"' + name.replace('"', '""') + '"'


class Sqlite(Judge):
    """The library itself, since its client knows no base64."""

    dialect = "sqlite"

    def empty(self) -> None:
        self.connection = sqlite3.connect(":memory:")
        self.connection.execute("PRAGMA foreign_keys = ON")

    def _run(self, script: str) -> str | None:
        try:
            self.connection.executescript(script)
        except sqlite3.Error as error:
            return str(error)
        return None

    def loads(self, definitions: str, entities: Sequence[tuple[Entity, Path]]) -> str | None:
        self.empty()
        said = self._run(definitions)
        try:
            for entity, file in entities:
                self._load(entity, file)
        except sqlite3.Error as error:
            return f"{entity.name}: {error}"
        finally:
            self.connection.close()
        return said

    def _load(self, entity: Entity, file: Path) -> None:
        fields = _columns(entity)
        with file.open(newline="", encoding="utf-8") as lines:
            rows = csv.reader(lines)
            next(rows)
            made = [[_as_stored(text, field) for text, field in zip(row or [""], fields, strict=True)] for row in rows]
        names = ", ".join(_double(f.name) for f in fields)
        with self.connection:
            self.connection.executemany(
                f"INSERT INTO {_double(entity.name)} ({names}) VALUES ({', '.join('?' * len(fields))})", made
            )


def _as_stored(text: str, field: Field) -> Any:
    if text == "":
        return None
    match field.type.name:
        case TypeName.BOOLEAN:
            return text == "true"
        case TypeName.BYTEA:
            return b64decode(text)
    return text


class Postgresql(Judge):
    dialect = "postgresql"

    def __init__(self, url: URL) -> None:
        self.url = url.render_as_string(hide_password=False)
        self.command = [
            "psql",
            "-X",
            "-q",
            "-v",
            "ON_ERROR_STOP=1",
            "-h",
            str(url.host),
            "-p",
            str(url.port),
            "-U",
            str(url.username),
            str(url.database),
        ]

    def empty(self) -> None:
        _ran(self.command, "SET client_min_messages = error; DROP SCHEMA public CASCADE; CREATE SCHEMA public;")

    def _run(self, script: str) -> str | None:
        return _ran(self.command, script)

    def _loading(self, entity: Entity, file: Path) -> str:
        fields = _columns(entity)
        names = ", ".join(_double(f.name) for f in fields)
        stage = ", ".join(f"{_double(f.name)} text" for f in fields)
        target = _double(entity.name)
        binary = "".join(f"UPDATE staged SET {_double(f.name)} = '\\x' || encode(decode({_double(f.name)}, 'base64'), 'hex');\n"
                         for f in fields if f.type.name is TypeName.BYTEA)  # fmt: skip
        path = str(file).replace("'", "''")
        return (f"CREATE TEMP TABLE staged ({stage});\n\\copy staged FROM '{path}' CSV HEADER\n{binary}"
                f"\\copy staged TO '{path}.again' CSV\n\\copy {target} ({names}) FROM '{path}.again' CSV\nDROP TABLE staged;\n")  # fmt: skip


class Mariadb(Judge):
    dialect = "mysql"

    def __init__(self, url: URL) -> None:
        self.url = url.set(database="judged").render_as_string(hide_password=False)
        self.command = [
            "mariadb",
            "--no-defaults",
            "-h",
            str(url.host),
            "-P",
            str(url.port),
            "-u",
            str(url.username),
            "--default-character-set=utf8mb4",
        ]

    def empty(self) -> None:
        _ran(self.command, "DROP DATABASE IF EXISTS judged; CREATE DATABASE judged CHARACTER SET utf8mb4;")

    def _run(self, script: str) -> str | None:
        return _ran([*self.command, "judged"], script)

    def _loading(self, entity: Entity, file: Path) -> str:
        parts, sets = [], []
        for number, f in enumerate(_columns(entity)):
            given = f"NULLIF(@c{number}, '')"
            match f.type.name:
                case TypeName.BOOLEAN:
                    given = f"IF(@c{number} = 'true', 1, IF(@c{number} = 'false', 0, NULL))"
                case TypeName.BYTEA:
                    given = f"FROM_BASE64({given})"
                case TypeName.TIMESTAMPTZ:
                    given = f"REPLACE({given}, 'Z', '')"
                case TypeName.BIT:
                    given = f"CAST(CONV({given}, 2, 10) AS UNSIGNED)"
            parts.append(f"@c{number}")
            sets.append(f"`{f.name}` = {given}")
        path = str(file).replace("'", "''")
        return (f"LOAD DATA INFILE '{path}' INTO TABLE `{entity.name}` CHARACTER SET utf8mb4 FIELDS TERMINATED BY ',' "
                f"OPTIONALLY ENCLOSED BY '\"' ESCAPED BY '' LINES TERMINATED BY '\\n' IGNORE 1 LINES ({', '.join(parts)}) SET {', '.join(sets)};\n")  # fmt: skip
