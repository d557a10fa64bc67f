"""PostgreSQL's catalogue, written out as the definitions that would make it."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator
from typing import Any

_OURS = (
    "n.nspname NOT IN ('pg_catalog', 'information_schema') AND n.nspname NOT LIKE 'pg_toast%' AND n.nspname NOT LIKE 'pg_temp%'"
)
_NO_EXTENSION = "NOT EXISTS (SELECT 1 FROM pg_depend d WHERE d.objid = {0}.oid AND d.deptype = 'e')"
_TABLES = f"""
    SELECT c.oid, format('%I.%I', n.nspname, c.relname), c.relkind, pg_get_partkeydef(c.oid), obj_description(c.oid, 'pg_class')
    FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace
    WHERE c.relkind IN ('r', 'p') AND NOT c.relispartition AND {_OURS} AND {_NO_EXTENSION.format("c")} ORDER BY c.oid"""
_COLUMNS = (
    """
    SELECT a.attrelid, quote_ident(a.attname), format_type(a.atttypid, a.atttypmod), a.attnotnull,
           pg_get_expr(d.adbin, d.adrelid), a.attidentity, a.attgenerated, col_description(a.attrelid, a.attnum)
    FROM pg_attribute a JOIN pg_class c ON c.oid = a.attrelid JOIN pg_namespace n ON n.oid = c.relnamespace
    LEFT JOIN pg_attrdef d ON d.adrelid = a.attrelid AND d.adnum = a.attnum
    WHERE a.attnum > 0 AND NOT a.attisdropped AND c.relkind IN ('r', 'p') AND NOT c.relispartition AND """
    + _OURS
    + """
    ORDER BY a.attrelid, a.attnum"""
)
_RULES = f"""
    SELECT r.conrelid, quote_ident(r.conname), pg_get_constraintdef(r.oid)
    FROM pg_constraint r JOIN pg_class c ON c.oid = r.conrelid JOIN pg_namespace n ON n.oid = c.relnamespace
    WHERE r.contype IN ('p', 'u', 'f', 'c', 'x') AND r.conparentid = 0 AND NOT c.relispartition AND {_OURS} ORDER BY r.oid"""
_INDEXES = f"""
    SELECT pg_get_indexdef(i.indexrelid)
    FROM pg_index i JOIN pg_class c ON c.oid = i.indrelid JOIN pg_namespace n ON n.oid = c.relnamespace
    WHERE NOT c.relispartition AND {_OURS} AND {_NO_EXTENSION.format("c")}
      AND NOT EXISTS (SELECT 1 FROM pg_constraint r WHERE r.conindid = i.indexrelid AND r.contype IN ('p', 'u', 'x'))
    ORDER BY i.indexrelid"""
_TYPES = f"""
    SELECT t.oid, format('%I.%I', n.nspname, t.typname), t.typtype, format_type(t.typbasetype, t.typtypmod), t.typnotnull,
           t.typdefault,
           ARRAY(SELECT quote_literal(e.enumlabel) FROM pg_enum e WHERE e.enumtypid = t.oid ORDER BY e.enumsortorder),
           ARRAY(SELECT format('CONSTRAINT %I ', r.conname) || pg_get_constraintdef(r.oid) FROM pg_constraint r
                 WHERE r.contypid = t.oid AND r.contype = 'c' ORDER BY r.oid)
    FROM pg_type t JOIN pg_namespace n ON n.oid = t.typnamespace
    WHERE t.typtype IN ('e', 'd') AND {_OURS} AND {_NO_EXTENSION.format("t")} ORDER BY t.oid"""
_PARTITIONS = """
    SELECT i.inhparent, pg_get_expr(c.relpartbound, c.oid) FROM pg_class c JOIN pg_inherits i ON i.inhrelid = c.oid
    WHERE c.relispartition ORDER BY c.oid"""
_OVER = f"""
    SELECT 'VIEW ' || format('%I.%I', n.nspname, c.relname) FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace
    WHERE c.relkind IN ('v', 'm') AND {_OURS} AND {_NO_EXTENSION.format("c")}
    UNION ALL SELECT 'TRIGGER ' || quote_ident(t.tgname) || ' ON ' || c.relname
    FROM pg_trigger t JOIN pg_class c ON c.oid = t.tgrelid WHERE NOT t.tgisinternal
    UNION ALL SELECT 'FUNCTION ' || format('%I.%I', n.nspname, p.proname)
    FROM pg_proc p JOIN pg_namespace n ON n.oid = p.pronamespace WHERE {_OURS} AND {_NO_EXTENSION.format("p")} ORDER BY 1"""
_EXACT_UP_TO = 200_000  # rows: beyond it the planner's estimate is taken, which costs nothing


def postgresql_definitions(connection: Any) -> str:
    """CREATE TYPE, DOMAIN, TABLE, INDEX and COMMENT statements for everything outside of the system's own schemas."""
    path = connection.exec_driver_sql("SELECT current_setting('search_path')").scalar()
    connection.exec_driver_sql("SET LOCAL search_path = pg_catalog")  # so that every name comes with its schema
    statements = list(_statements(connection))
    connection.exec_driver_sql("SELECT set_config('search_path', %s, true)", (path,))
    return ";\n".join(statements)


def _all(connection: Any, query: str) -> list[Any]:
    # the driver takes % for a parameter
    return list(connection.exec_driver_sql(query.replace("%", "%%")))


def _statements(connection: Any) -> Iterator[str]:
    for _, name, kind, base, not_null, default, values, checks in _all(connection, _TYPES):
        if kind == "e":
            yield f"CREATE TYPE {name} AS ENUM ({', '.join(values)})"
        else:
            kept = " ".join(["NOT NULL"] * not_null + ([f"DEFAULT {default}"] if default else []) + list(checks))
            yield f"CREATE DOMAIN {name} AS {base} {kept}"
    columns: dict[int, list[Any]] = defaultdict(list)
    rules: dict[int, list[str]] = defaultdict(list)
    for table, name, kind, not_null, default, identity, generated, comment in _all(connection, _COLUMNS):
        columns[table].append((name, _column(name, kind, not_null, default, identity, generated), comment))
    for table, name, text in _all(connection, _RULES):
        rules[table].append(f"CONSTRAINT {name} {text}")
    tables = _all(connection, _TABLES)
    names = {oid: name for oid, name, *_ in tables}
    for oid, name, _, partitioned, comment in tables:
        if not columns[oid]:
            continue
        body = ",\n  ".join([text for _, text, _ in columns[oid]] + rules[oid])
        yield f"CREATE TABLE {name} (\n  {body}\n)" + (f" PARTITION BY {partitioned}" if partitioned else "")
        if comment:
            yield f"COMMENT ON TABLE {name} IS {_text(comment)}"
        for column, _, said in columns[oid]:
            if said:
                yield f"COMMENT ON COLUMN {name}.{column} IS {_text(said)}"
    for number, (parent, bounds) in enumerate(_all(connection, _PARTITIONS)):
        if parent in names:
            yield f"CREATE TABLE partition_{number} PARTITION OF {names[parent]} {bounds}"
    for (index,) in _all(connection, _INDEXES):
        yield index
    for (what,) in _all(connection, _OVER):
        yield f"CREATE {what}"


def _column(name: str, kind: str, not_null: bool, default: str | None, identity: str, generated: str) -> str:
    parts = [name, kind]
    if generated:
        parts.append(f"GENERATED ALWAYS AS ({default}) STORED")
    elif identity:
        parts.append("GENERATED BY DEFAULT AS IDENTITY")
    elif default is not None:
        parts.append(f"DEFAULT {default}")
    return " ".join(parts + ["NOT NULL"] * not_null)


def _text(value: str) -> str:
    return "'" + value.replace("'", "''") + "'"


def postgresql_rows(connection: Any) -> dict[str, int]:
    """Rows of each table by the entity's name: counted, or the planner's estimate for a large one."""
    counts: dict[str, int] = {}
    estimates = _all(connection, f"""
        SELECT n.nspname, c.relname, format('%I.%I', n.nspname, c.relname), c.reltuples::bigint
        FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace
        WHERE c.relkind IN ('r', 'p') AND NOT c.relispartition AND {_OURS}""")  # fmt: skip
    for schema, table, quoted, estimate in estimates:
        name = table if schema == "public" else f"{schema}.{table}"
        if estimate > _EXACT_UP_TO:
            counts[name] = int(estimate)
        else:
            counts[name] = int(connection.exec_driver_sql(f"SELECT count(*) FROM {quoted}".replace("%", "%%")).scalar())
    return counts
