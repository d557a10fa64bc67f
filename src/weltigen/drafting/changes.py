"""What changed between two states of a model, and what each change means for data that exists already."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass

from .snapshot import EntitySnapshot, FieldSnapshot, Snapshot

_INTEGERS = {"smallint": 1, "integer": 2, "bigint": 3}
_TEXTS = ("text", "varchar", "char")


@dataclass(frozen=True, slots=True, kw_only=True)
class Change:
    """`where` is an entity or `entity.field`; `means` is empty where data that exists are as good as before."""

    where: str
    what: str
    means: str = ""

    def __str__(self) -> str:
        return f"{self.where}: {self.what}" + (f" — {self.means}" if self.means else "")


def changes_between(old: Snapshot, new: Snapshot) -> list[Change]:
    """All changes, entity by entity in the order of the new model; what is gone comes last."""
    out: list[Change] = []
    for name, entity in new.entities.items():
        if name not in old.entities:
            out.append(Change(where=name, what="a new entity", means="there are no rows of it yet"))
        else:
            out += _entity_changes(name, old.entities[name], entity)
    gone = [name for name in old.entities if name not in new.entities]
    return out + [Change(where=name, what="is gone", means="its rows go with it") for name in gone]


def _entity_changes(name: str, old: EntitySnapshot, new: EntitySnapshot) -> Iterator[Change]:
    referring, referred = dict(new.references), dict(old.references)
    for field, known in new.fields.items():
        where = f"{name}.{field}"
        if field not in old.fields:
            yield _new_field(where, known, referring.get(field))
            continue
        yield from _field_changes(where, old.fields[field], known)
        if field in referring and field not in referred:
            means = f"every value must be the key of a row of {referring[field]}; others must be mended or set null first"
            yield Change(where=where, what=f"now refers to {referring[field]}", means=means)
        elif field in referring and referring[field] != referred[field]:
            what = f"refers to {referring[field]}, no longer to {referred[field]}"
            yield Change(
                where=where, what=what, means=f"values that were keys of {referred[field]} must become keys of {referring[field]}"
            )
        elif field in referred and field not in referring:
            yield Change(where=where, what=f"refers to {referred[field]} no more")
    for columns, target in new.references:
        if "+" in columns and (columns, target) not in old.references:
            yield Change(where=name, what=f"{columns} refer to {target} together", means=f"rows must hold keys of {target}")
    for field in old.fields:
        if field not in new.fields:
            yield Change(where=f"{name}.{field}", what="is gone", means="its values go with it")
    if old.key != new.key and set(new.key) <= set(old.fields):
        key = ", ".join(new.key) or "nothing"
        yield Change(where=name, what=f"the primary key is now {key}", means="no two rows may agree on it, and none may be null")
    for rule in new.unique:
        if rule not in old.unique:
            yield Change(where=name, what=f"a new rule: {rule}", means="rows that agree on it must be made different first")
    for rule in old.unique:
        if rule not in new.unique:
            yield Change(where=name, what=f"no longer: {rule}")
    for check in new.checks:
        if check not in old.checks:
            yield Change(where=name, what=f"a new check: {check}", means="rows that break it must be mended first")


def _new_field(where: str, known: FieldSnapshot, target: str | None) -> Change:
    text = f"a new field, {known.type}" + (f", that refers to {target}" if target else "")
    if known.default:
        return Change(where=where, what=text, means="rows that exist take its default")
    if known.nullable:
        return Change(where=where, what=text, means="rows that exist hold null there")
    means = "it must not be null and has no default: rows that exist need a value before it can be added"
    return Change(where=where, what=text, means=means)


def _field_changes(where: str, old: FieldSnapshot, new: FieldSnapshot) -> Iterator[Change]:
    if old.type != new.type:
        yield Change(where=where, what=f"{old.type} is now {new.type}", means=_retyped(old.type, new.type))
    if old.nullable and not new.nullable:
        yield Change(where=where, what="must not be null any more", means="rows with null there need a value first")
    elif new.nullable and not old.nullable:
        yield Change(where=where, what="may be null now")
    added = [value for value in new.values if value not in old.values] if old.values else []
    gone = [value for value in old.values if value not in new.values]
    also = f"allowed now: {', '.join(added)}"
    if old.values and new.values and gone:
        what = f"no longer allowed: {', '.join(gone)}" + (f"; {also}" if added else "")
        yield Change(where=where, what=what, means="rows that hold it must be changed first")
    elif added:
        yield Change(where=where, what=also, means="weights that are set leave it out until they name it")
    if old.default and not new.default and not new.nullable:
        yield Change(where=where, what="has no default any more", means="inserts that leave it out will fail")


def _parts(text: str) -> tuple[str, list[int]]:
    found = re.fullmatch(r"([a-z ]+?)(?:\((\d+)(?:,(\d+))?\))?(\[\])?", text)
    if found is None:
        return text, []
    return found[1] + (found[4] or ""), [int(n) for n in (found[2], found[3]) if n is not None]


def _retyped(old: str, new: str) -> str:
    """What a change of type asks of the values that are there."""
    (one, before), (other, after) = _parts(old), _parts(new)
    if one in _INTEGERS and other in _INTEGERS:
        return "" if _INTEGERS[other] >= _INTEGERS[one] else f"values outside of {new} must go first"
    if one in _TEXTS and other in _TEXTS:
        room = after[0] if after else None
        if room is None or (before and room >= before[0]):
            return ""
        return f"texts of more than {room} characters must be shortened first"
    if one == other == "numeric":
        if len(before) == len(after) == 2 and after[1] >= before[1] and after[0] - after[1] >= before[0] - before[1]:
            return ""
        return "numbers with more digits must be rounded or mended first" if after else ""
    if one in _INTEGERS and other in ("numeric", "double precision"):
        return ""
    if other in _TEXTS:
        return "values become texts; comparisons and orders change with them"
    if {one, other} == {"timestamp", "timestamptz"}:
        return "times must be read in a time zone"
    return f"each value must be one that {new} can hold"
