"""A row as it is named at the command line."""

from __future__ import annotations

from ..api.records import Records
from ..expression.names import plain_name
from ..model.problems import UsageError, nearest
from ..model.types import NUMBERS
from ..stored.names import literal


def row_of(records: Records, where: str, entity: str, row: str) -> int:
    """The row that is meant: by its ordinal, or by values of fields, as in `id=6` or `route_id=3,day=2026-01-02`."""
    if row.replace(",", "").isdigit():
        return int(row.replace(",", ""))
    parts = [part.partition("=") for part in row.split(",")]
    if not all(sign and value for _, sign, value in parts):
        hint = f"rows are counted from 0: weltigen peek {where} {entity}/0; or by a key: {entity}/FIELD=VALUE"
        raise UsageError(f"'{row}' is not an ordinal", hint=hint)
    declared = records.world.entity(entity)
    for name, _, _ in parts:
        if not declared.has(name):
            raise UsageError(f"{entity} has no field '{name}'", hint=nearest(name, declared.field_names))
    number = {name: declared.field(name).type.name in NUMBERS for name, _, _ in parts}
    asked = " AND ".join(f"{plain_name(name)} = {value if number[name] else literal(value)}" for name, _, value in parts)
    found = records.ordinal(entity, asked)
    if found is None:
        raise UsageError(f"{entity} has no row where {asked}", hint=f"weltigen peek {where} {entity} shows some of its rows")
    return found
