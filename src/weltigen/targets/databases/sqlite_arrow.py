"""SQLite by its Arrow driver: a batch goes in as it is, without a Python object for each value."""

from __future__ import annotations

import re
import sqlite3
from pathlib import Path
from typing import Any


class ArrowConnection:
    """What a fill needs of a connection, in the words of `sqlite3.Connection`.

    For files of ours alone: the driver has a library of SQLite of its own, and where two libraries in one process have one file
    open, neither heeds the locks of the other, which belong to the process (POSIX advisory locks).
    """

    def __init__(self, path: Path) -> None:
        # the driver's own calls: its DB-API module brings pandas, and half a second, with it
        from adbc_driver_manager import AdbcConnection, AdbcStatement
        from adbc_driver_sqlite import connect

        self._statement = AdbcStatement
        self._database = connect(str(path))
        self._connection = AdbcConnection(self._database)
        self._rows: list[tuple[Any, ...]] = []

    def execute(self, sql: str) -> ArrowConnection:
        import pyarrow as pa

        with self._statement(self._connection) as statement:
            statement.set_sql_query(sql)
            stream, _ = statement.execute_query()
            with pa.RecordBatchReader._import_from_c(stream.address) as reader:
                self._rows = [
                    row for batch in reader for row in zip(*(column.to_pylist() for column in batch.columns), strict=True)
                ]
        return self

    def fetchall(self) -> list[tuple[Any, ...]]:
        return self._rows

    def __iter__(self) -> Any:
        return iter(self._rows)

    @property
    def rowcount(self) -> int:
        """Rows that the last statement changed."""
        return int(self.execute("SELECT changes()").fetchall()[0][0])

    def insert(self, sql: str, batch: Any) -> None:
        """Run a statement once for each row of a batch of plain numbers, texts and bytes."""
        schema, array = batch.__arrow_c_array__()
        with self._statement(self._connection) as statement:
            statement.set_sql_query(sql)
            statement.prepare()
            statement.bind(array, schema)
            statement.execute_update()

    def close(self) -> None:
        self._connection.close()
        self._database.close()


def driver_errors() -> tuple[type[Exception], ...]:
    """What the drivers of SQLite raise."""
    from adbc_driver_manager import Error

    return sqlite3.Error, Error


def said_by(error: Exception) -> str:
    """SQLite's own message, without what the Arrow driver puts before it."""
    return re.sub(r"^[A-Z_]+: (?:[Ff]ailed to [a-z ]+: )?", "", str(error).partition("\n")[0])
