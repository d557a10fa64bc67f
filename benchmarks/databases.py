"""Loading into databases beside the quickest way of loading the same rows from memory, on throw-away servers of its own."""

from __future__ import annotations

import os
import sqlite3
import sys
from collections.abc import Callable
from pathlib import Path
from statistics import median
from tempfile import TemporaryDirectory
from typing import Any

import pymysql
from sqlalchemy import create_engine

import weltigen
from weltigen.stored.formats.csv import Csv
from weltigen.stored.sql_text import data_lines
from weltigen.stored.sqlite import stored_values
from weltigen.targets.databases.mariadb import _as_file

sys.path.insert(0, str(Path(__file__).parent.parent))
from tests import servers

# the table on which ways of loading were first compared: keys, texts, a reference, numbers, moments
MODEL = """
CREATE TABLE quay (quay_id bigint PRIMARY KEY, name varchar(60) NOT NULL);
CREATE TABLE berthing (
    berthing_id bigint PRIMARY KEY, mark uuid NOT NULL, title varchar(60) NOT NULL, note varchar(200), place varchar(40) NOT NULL,
    quay_id bigint NOT NULL REFERENCES quay (quay_id), fee numeric(12, 2) NOT NULL, paid boolean NOT NULL, day date NOT NULL,
    moment timestamp NOT NULL, crew integer
);
"""
ROWS = 300_000
Say = Callable[[str, str, str], None]
Timed = Callable[[Callable[[], object]], float]


def databases(say: Say, timed: Timed) -> None:
    dataset = weltigen.read_model(MODEL).dataset(rows={"quay": 10_000, "berthing": ROWS})
    tables = {name: dataset.table(name, workers=2) for name in dataset.counts}
    say("rows of a table of 11 columns, into databases", f"{ROWS:,}", "ratio to the quickest load of the same rows from memory")
    with servers.postgresql() as url:
        _compare(say, timed, "PostgreSQL: generate and load to COPY alone", "at most 1.1", dataset, _Copy(url, tables))
        _ferry(say, timed, url)
    with TemporaryDirectory() as folder:
        prepared = _Prepared(Path(folder), tables)
        _compare(say, timed, "SQLite, a new file: generate and load to prepared rows", "at most 1.2", dataset, prepared, new=True)
        _compare(say, timed, "SQLite, tables that are there: the same", "at most 1.2", dataset, prepared)
    with servers.mariadb() as url:
        _compare(say, timed, "MariaDB: generate and load to LOAD DATA alone", "at most 1.2", dataset, _LoadData(url, tables))


def _compare(say: Say, timed: Timed, name: str, wanted: str, dataset: Any, plain: Any, new: bool = False) -> None:
    """Both into the same tables with all rules in place, made beforehand unless the file is to be `new` to our run, which then
    makes them itself; medians of three, one after the other."""
    ours, theirs = [], []
    for _ in range(3):
        plain.fresh()
        theirs.append(timed(plain.load))
        into = plain.fresh()
        if new:
            Path(into).unlink()
        ours.append(timed(lambda into=into: dataset.write(into, workers=2)))
    krows = sum(dataset.counts.values()) / 1000
    say(
        name,
        f"{median(ours) / median(theirs):.2f}",
        f"{wanted}; {krows / median(ours):.0f} to {krows / median(theirs):.0f} krows/s",
    )


class _Copy:
    def __init__(self, server: Any, tables: dict[str, Any]) -> None:
        self.server, self.url = server, ""
        text = Csv()
        text.bytes = "hex"
        self.data = {n: [text.encode(b).to_pybytes() for b in t.to_batches(max_chunksize=65_536)] for n, t in tables.items()}

    def fresh(self) -> str:
        self.url = servers.fresh_database(self.server)("loading").render_as_string(hide_password=False)
        self._run(lambda raw: [raw.execute(statement) for statement in MODEL.split(";\n") if statement.strip()])
        return self.url

    def _run(self, work: Callable[[Any], object]) -> None:
        engine = create_engine(self.url)
        with engine.begin() as connection:
            work(connection.connection.driver_connection)
        engine.dispose()

    def load(self) -> None:
        def copy(raw: Any) -> None:
            for name, parts in self.data.items():
                with raw.cursor() as cursor, cursor.copy(f"COPY {name} FROM STDIN (FORMAT csv)") as out:
                    for part in parts:
                        out.write(part)

        self._run(copy)


class _Prepared:
    def __init__(self, folder: Path, tables: dict[str, Any]) -> None:
        self.path, self.data = folder / "load.sqlite", {}
        for name, table in tables.items():
            self.data[name] = [
                row
                for batch in table.to_batches()
                for row in zip(*(stored_values(c).to_pylist() for c in batch.columns), strict=True)
            ]

    def fresh(self) -> str:
        for path in self.path.parent.iterdir():
            path.unlink()
        with sqlite3.connect(self.path) as connection:
            connection.executescript(MODEL)
        connection.close()
        return str(self.path)

    def load(self) -> None:
        connection = sqlite3.connect(self.path, isolation_level=None)
        connection.execute("BEGIN")
        for name, rows in self.data.items():
            connection.executemany(f"INSERT INTO {name} VALUES ({', '.join('?' * len(rows[0]))})", rows)
        connection.execute("COMMIT")
        connection.close()


class _LoadData:
    def __init__(self, server: Any, tables: dict[str, Any]) -> None:
        self.server, self.url = server, ""
        self.data = {name: data_lines(table.combine_chunks().to_batches()[0]) for name, table in tables.items()}

    def fresh(self) -> str:
        url = servers.fresh_database(self.server)("loading")
        self.at: dict[str, Any]
        self.at = {"host": url.host, "port": url.port, "user": url.username, "database": "loading", "local_infile": True}
        with pymysql.connect(**self.at) as raw, raw.cursor() as cursor:
            for statement in MODEL.replace("timestamp", "datetime(6)").split(";\n"):
                if statement.strip():
                    cursor.execute(statement)
        return str(url.render_as_string(hide_password=False))

    def load(self) -> None:
        with pymysql.connect(**self.at) as raw, raw.cursor() as cursor:
            for name, content in self.data.items():
                with _as_file(content) as path:
                    cursor.execute(
                        f"LOAD DATA LOCAL INFILE '{path}' INTO TABLE `{name}` CHARACTER SET utf8mb4 FIELDS TERMINATED BY ','"
                        " OPTIONALLY ENCLOSED BY '\"' ESCAPED BY ''"
                    )
            raw.commit()


def _ferry(say: Say, timed: Timed, server: Any) -> None:
    world = str(Path(weltigen.__file__).parent / "demo" / "ferry.yaml")
    url = servers.fresh_database(server)("ferry").render_as_string(hide_password=False)

    def whole() -> None:
        opened = weltigen.open_world(world)
        opened.dataset().write(url, workers=len(os.sched_getaffinity(0)))
        assert not weltigen.audit(opened, url)

    say("the ferry world fresh into PostgreSQL, from its files to the audit", f"{timed(whole):.1f} s", "under 10 s")


if __name__ == "__main__":
    from bench import say, timed

    databases(say, timed)
