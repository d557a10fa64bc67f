"""MariaDB and MySQL say of each table how it was made."""

from __future__ import annotations

from typing import Any

_EXACT_UP_TO = 200_000  # rows: beyond it the server's estimate is taken, which costs nothing


def _quoted(name: str) -> str:
    return "`" + name.replace("`", "``") + "`"


def mariadb_definitions(connection: Any) -> str:
    """The CREATE TABLE statements of the URL's database; views, triggers and routines by name."""
    names = [row[0] for row in connection.exec_driver_sql("SHOW FULL TABLES WHERE Table_type = 'BASE TABLE'")]
    statements = [
        str(connection.exec_driver_sql(f"SHOW CREATE TABLE {_quoted(name)}".replace("%", "%%")).one()[1]) for name in names
    ]
    over = """
        SELECT CONCAT('VIEW ', table_name) FROM information_schema.views WHERE table_schema = DATABASE()
        UNION ALL SELECT CONCAT('TRIGGER ', trigger_name) FROM information_schema.triggers WHERE trigger_schema = DATABASE()
        UNION ALL SELECT CONCAT(routine_type, ' ', routine_name) FROM information_schema.routines
        WHERE routine_schema = DATABASE()"""
    return ";\n".join(statements + [f"CREATE {what}" for (what,) in connection.exec_driver_sql(over)])


def mariadb_rows(connection: Any) -> dict[str, int]:
    """Rows of each table: counted, or the server's estimate for a large one."""
    estimates = connection.exec_driver_sql(
        "SELECT table_name, table_rows FROM information_schema.tables"
        " WHERE table_schema = DATABASE() AND table_type = 'BASE TABLE'"
    ).all()
    counts = {}
    for name, estimate in estimates:
        exact = (estimate or 0) <= _EXACT_UP_TO
        query = f"SELECT count(*) FROM {_quoted(name)}".replace("%", "%%")
        counts[name] = int(connection.exec_driver_sql(query).scalar() if exact else estimate)
    return counts
