"""Tables that are there, compared with the model column by column, before a row is written."""

from __future__ import annotations

from collections.abc import Iterator

from ...model import Entity, Field, TypeName
from ...model.changing import changed
from ...model.types import FLOATS, INTEGER_BITS, INTEGERS, TEXTS, FieldType

_AS_TEXT = TEXTS | {TypeName.OTHER}


def differences(entity: Entity, there: Entity, strict: bool = True) -> Iterator[str]:
    """What keeps the rows of an entity out of a table, in words. `strict`: the database holds values to the types of columns."""
    known = {field.name: field for field in there.fields}
    for field in entity.fields:
        found = known.get(field.name)
        where = f"{entity.name}.{field.name}"
        if field.generated is not None:
            if found is not None and found.generated is None and not found.nullable and found.default is None:
                yield f"{where} is computed in the model, but not there, where it must be filled"
            continue
        if found is None:
            yield f"{where} is not there"
            continue
        if found.generated is not None:
            yield f"{where} is computed there, but not in the model"
        if field.nullable and not found.nullable and field.name not in there.key and not found.identity:
            yield f"{where} may be null in the model, but not there"
        if strict and (why := _unfit(field, found)) is not None:
            yield f"{where} {why}"
    ours = set(entity.field_names)
    for name, found in known.items():
        if name not in ours and not found.nullable and found.default is None and not found.identity and found.generated is None:
            yield f"{entity.name}.{name} must be filled there, but is not in the model"


def _unfit(field: Field, found: Field) -> str | None:
    """Why values of a field do not fit a column."""
    field = changed(field, type=field.type.stored)
    ours, theirs = field.type, found.type
    said = f"is {_named(ours)} in the model, but {_named(theirs)} there"
    return None if _fits(field, ours, theirs) else said


def _named(of: FieldType) -> str:
    return of.spelled or str(of)


def _fits(field: Field, ours: FieldType, theirs: FieldType) -> bool:
    if theirs.name in _AS_TEXT:
        if ours.name in (TypeName.BYTEA,):
            return False
        room = theirs.length
        if room is None or ours.name not in TEXTS:
            return True
        return field.room is not None and field.room <= room
    if ours.name in INTEGERS or ours.name is TypeName.BOOLEAN:
        if theirs.name in INTEGERS:
            return ours.name is TypeName.BOOLEAN or _holds(ours, theirs)
        return theirs.name in (TypeName.NUMERIC, TypeName.DOUBLE) or (theirs.name is ours.name)
    if ours.name is TypeName.NUMERIC:
        if theirs.name is not TypeName.NUMERIC:
            return ours.digits[1] == 0 and theirs.name is TypeName.BIGINT and ours.digits[0] <= 18
        if theirs.precision is None:
            return True
        (precision, scale), (there, decimals) = ours.digits, theirs.digits
        return decimals >= scale and there - decimals >= precision - scale
    if ours.name in FLOATS:
        return theirs.name in FLOATS
    if ours.name is TypeName.ENUM or (ours.name in TEXTS and theirs.name is TypeName.ENUM):
        allowed = ours.values or next((one.values for one in field.limits.allowed), ())
        return theirs.name is TypeName.ENUM and bool(allowed) and set(allowed) <= set(theirs.values)
    if ours.name in (TypeName.TIMESTAMP, TypeName.TIMESTAMPTZ):
        return theirs.name in (TypeName.TIMESTAMP, TypeName.TIMESTAMPTZ)
    if ours.name is TypeName.DATE:
        return theirs.name in (TypeName.DATE, TypeName.TIMESTAMP, TypeName.TIMESTAMPTZ)
    if ours.name is TypeName.ARRAY:
        return theirs.name is TypeName.ARRAY
    if ours.name is TypeName.BYTEA:
        return theirs.name is TypeName.BYTEA and (
            theirs.length is None or (field.room is not None and field.room <= theirs.length)
        )
    if ours.name is TypeName.OTHER or theirs.name is TypeName.OTHER:
        return True  # of a type that is not modelled, the database judges
    return ours.name is theirs.name


def _holds(ours: FieldType, theirs: FieldType) -> bool:
    def ends(of: FieldType) -> tuple[int, int]:
        half = 1 << (INTEGER_BITS[of.name] - 1)
        return (of.least if of.least is not None else -half), (of.most if of.most is not None else half - 1)

    (low, high), (least, most) = ends(ours), ends(theirs)
    return least <= low and high <= most
