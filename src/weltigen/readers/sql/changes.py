"""What later statements do to what is there: ALTER TABLE, DROP, RENAME. Years of migrations end in the state that counts."""

from __future__ import annotations

from dataclasses import replace

from ..drafts import TableDraft
from .columns import column, column_rules, plain_default, typed
from .cursor import Cursor
from .parents import partition_bounds
from .reading import Reading, entity_name
from .tables import table_part
from .tokens import Script

_RULE_WORDS = frozenset("CONSTRAINT PRIMARY UNIQUE CHECK FOREIGN EXCLUDE INDEX KEY FULLTEXT SPATIAL".split())
# what changes no rule: where the data lie, who owns them, how they are kept
_STORAGE = frozenset(
    "OWNER ENABLE DISABLE CLUSTER SET RESET REPLICA FORCE NO INHERIT ENGINE AUTO_INCREMENT ORDER CONVERT COLLATE CHARACTER "
    "CHARSET ALGORITHM LOCK ROW_FORMAT VALIDATE COMMENT DEFAULT NOT".split()
)


def alter_table(reading: Reading, cursor: Cursor) -> None:
    """Behind ALTER TABLE."""
    exists = cursor.take("IF", "EXISTS")
    cursor.take("ONLY")
    table = reading.table(cursor, needed=not exists)
    if table is None:
        return
    cursor.take("*")
    for action in cursor.items():
        if action:
            _alter(reading, table, action)


def add_geometry(reading: Reading, cursor: Cursor) -> None:
    """SELECT AddGeometryColumn([schema,] table, column, srid, type, dimensions): the OpenGIS way to add a column."""
    cursor.take("SELECT")
    cursor.next()
    given = [(item.peek().kind, item.peek().value) for item in cursor.group().items()] if cursor.sees("(") else []
    number = next((at for at, (kind, _) in enumerate(given) if kind == "number"), 0)
    table = reading.draft.find(given[number - 2][1]) if 2 <= number < len(given) - 1 else None
    if table is None:
        reading.step_over(cursor)
        return
    script = Script(f"{given[number - 1][1]} geometry({given[number + 1][1]},{given[number][1]})", "", reading.script.dialect)
    column(reading, table, Cursor(script, list(script.tokens())))


def _alter(reading: Reading, table: TableDraft, action: Cursor) -> None:
    start = action.at
    if action.take("ADD"):
        _add(reading, table, action)
    elif action.take("DROP"):
        _drop(reading, table, action)
    elif action.take("ALTER"):
        _alter_column(reading, table, action)
    elif action.take("RENAME"):
        _rename(reading, table, action)
    elif action.take("MODIFY"):
        action.take("COLUMN")
        action.take("IF", "EXISTS")
        _modify(reading, table, action, action.name())
    elif action.take("CHANGE"):
        action.take("COLUMN")
        action.take("IF", "EXISTS")
        old, new = action.name(), action.name()
        rename_column(reading, table, old, new)
        _modify(reading, table, action, new)
    elif action.take("ATTACH", "PARTITION"):
        part = reading.table(action)
        if part is not None:
            partition_bounds(reading, table, action)
            reading.draft.drop(part)
    elif action.take("SET", "SCHEMA"):
        table.schema = action.name()
        reading.draft.rename(table, entity_name(table.schema, table.name.rpartition(".")[2]))
    elif action.take("DETACH", "PARTITION") or action.word() in _STORAGE:
        pass
    else:
        reading.notice(f"{table.name}: {action.text(start)}", action.place())


def _add(reading: Reading, table: TableDraft, action: Cursor) -> None:
    explicit = action.take("COLUMN")
    missing = action.take("IF", "NOT", "EXISTS")
    if explicit and action.sees("("):
        for part in action.group().items():
            column(reading, table, _without_position(part))
        return
    if not explicit and (action.word() in _RULE_WORDS or action.sees("UNIQUE")) and not _is_column(reading, action):
        table_part(reading, table, action)
        return
    if action.sees("("):
        for part in action.group().items():
            table_part(reading, table, part)
        return
    if (missing or reading.lenient) and table.find(action.peek().value) is not None:
        return
    column(reading, table, _without_position(action))


def _is_column(reading: Reading, action: Cursor) -> bool:
    """A column that is named like a rule: `ADD key text`."""
    return action.word() in ("KEY", "INDEX") and not reading.script.dialect.backslashes


def _without_position(part: Cursor) -> Cursor:
    """MySQL says where among the columns a new one stands: FIRST, or AFTER another."""
    at = part.stop - 1
    if at >= part.at and part.tokens[at].value.upper() == "FIRST":
        return Cursor(part.script, part.tokens, part.at, at)
    if at - 1 >= part.at and part.tokens[at - 1].kind == "word" and part.tokens[at - 1].value.upper() == "AFTER":
        return Cursor(part.script, part.tokens, part.at, at - 1)
    return part


def _drop(reading: Reading, table: TableDraft, action: Cursor) -> None:
    place = action.place()
    if action.take("PRIMARY", "KEY"):
        table.key = ()
        return
    what = action.take_any("CONSTRAINT", "INDEX", "KEY", "CHECK", "FOREIGN", "COLUMN")
    action.take("KEY")
    exists = action.take("IF", "EXISTS") or reading.lenient
    name = action.name()
    if what in ("", "COLUMN"):
        if table.find(name) is not None:
            drop_column(reading, table, name)
        elif not exists:
            reading.notice(f"{table.name} has no column {name} to drop", place)
    elif not table.drop_rule(name) and not exists and what in ("CONSTRAINT", "CHECK", "FOREIGN"):
        reading.notice(f"{table.name} has no constraint {name} to drop", place)


def drop_column(reading: Reading, table: TableDraft, name: str) -> None:
    spelled = table.spelled(name)
    table.drop_field(spelled, lambda text: reading.mentions(text, spelled))
    for other in reading.draft.tables:
        other.relations = [
            r for r in other.relations
            if not (spelled.lower() in map(str.lower, r.target_columns) and reading.draft.find(r.target) is table)
        ]  # fmt: skip


def rename_column(reading: Reading, table: TableDraft, old: str, new: str) -> None:
    spelled = table.spelled(old)
    if spelled == new:
        return
    table.rename_field(spelled, new, lambda text: reading.rewritten(text, spelled, new))
    reading.draft.rename_target_columns(table, spelled, new)


def _modify(reading: Reading, table: TableDraft, action: Cursor, name: str) -> None:
    """MySQL declares the whole column anew; its keys and checks stay."""
    field = table.find(name)
    if field is None:
        reading.notice(f"{table.name} has no column {name} to change", action.place())
        return
    part = _without_position(action)
    table.replace_field(name, nullable=True, default=None, identity=False, generated=None)
    given = typed(reading, table, field.name, field.place, part)
    table.replace_field(name, type=given["type"], nullable=given.get("nullable", True) and field.name not in table.key)
    column_rules(reading, table, field.name, part)


def _alter_column(reading: Reading, table: TableDraft, action: Cursor) -> None:
    if action.word() in ("CONSTRAINT", "INDEX", "CHECK") and action.is_name(1):
        return  # whether it is deferrable or visible
    action.take("COLUMN")
    name = action.name()
    field = table.find(name)
    if field is None:
        if not reading.lenient:
            reading.notice(f"{table.name} has no column {name} to change", action.place())
        return
    if action.take("SET", "NOT", "NULL"):
        table.replace_field(name, nullable=False)
    elif action.take("DROP", "NOT", "NULL"):
        table.replace_field(name, nullable=True)
    elif action.take("SET", "DEFAULT"):
        text = plain_default(action.text())
        counts_up = text.lower().startswith("nextval(")
        table.replace_field(name, default=None if counts_up else text, identity=counts_up or field.identity)
    elif action.take("DROP", "DEFAULT"):
        table.replace_field(name, default=None)
    elif action.take("DROP", "IDENTITY"):
        table.replace_field(name, identity=False)
    elif action.take("DROP", "EXPRESSION"):
        table.replace_field(name, generated=None)
    elif action.take("ADD", "GENERATED"):
        table.replace_field(name, identity=True, nullable=False)
    elif action.take("TYPE") or action.take("SET", "DATA", "TYPE"):
        table.replace_field(name, type=typed(reading, table, field.name, field.place, action)["type"])
    elif not action.take("SET"):
        reading.notice(f"{table.name}.{name}: {action.text()}", action.place())


def _rename(reading: Reading, table: TableDraft, action: Cursor) -> None:
    what = action.take_any("CONSTRAINT", "INDEX", "KEY", "COLUMN")
    if what in ("CONSTRAINT", "INDEX", "KEY"):
        old = action.name()
        action.take("TO")
        _rename_rule(table, old, action.name())
    elif (not what and action.take_any("TO", "AS")) or (not what and len(action.tokens[action.at : action.stop]) == 1):
        rename_table(reading, table, action)
    else:
        old = action.name()
        action.take("TO")
        if table.find(old) is not None:
            rename_column(reading, table, old, action.name())
        elif not reading.lenient:
            reading.notice(f"{table.name} has no column {old} to rename", action.place())


def rename_table(reading: Reading, table: TableDraft, cursor: Cursor) -> None:
    schema, name = reading.table_name(cursor)
    if schema is None and table.schema and table.name.startswith(f"{table.schema}."):
        name = f"{table.schema}.{name}"
    reading.draft.rename(table, name)


def _rename_rule(table: TableDraft, old: str, new: str) -> None:
    folded = old.lower()
    table.uniques = [replace(u, name=new) if (u.name or "").lower() == folded else u for u in table.uniques]
    table.indexes = [replace(i, name=new) if (i.name or "").lower() == folded else i for i in table.indexes]
    table.checks = [replace(c, name=new) if (c.name or "").lower() == folded else c for c in table.checks]
    table.relations = [replace(r, constraint=new) if (r.constraint or "").lower() == folded else r for r in table.relations]
