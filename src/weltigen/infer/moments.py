"""Which moment of a row comes after which other, guessed from their names: rows are changed after they are made."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import replace

from ..model import Bound, Entity, Field, Guess, Limits, TypeName, World
from ..model.origins import Origin
from ..model.types import MOMENTS, NUMBERS
from .naming import folded
from .readings import HIGHEST
from .row_numbers import is_always_above

_ENDS = r"(_?(at|on|date|time|am|le|en|ts))?"
_MADE = re.compile(
    r"(.*_)?(created|inserted|added|registered|joined|opened|placed|submitted|signed_up|date_created|creation|erstellt|angelegt"
    rf"|cree|creado){_ENDS}"
)
_LATER = re.compile(
    r"(.*_)?(updated|modified|changed|edited|deleted|removed|archived|closed|finished|completed|cancell?ed|resolved|approved"
    r"|rejected|last_seen|last_login|last_used|last_changed|revoked|published|geaendert|geloescht|modifie|supprime|actualizado"
    rf"|eliminado){_ENDS}"
)
# pairs of words: the second comes after the first, or is not less
_OF_RANGES = (
    "von/bis ab/bis desde/hasta inicial/final "
    "start/end from/to from/until from/till min/avg avg/max average/maximum minimum/average mean/max min/max minimum/maximum "
    "min/median median/max minimum/median median/maximum top/base xmin/xmax ymin/ymax "
    "least/most low/high lower/upper lowest/highest smallest/largest untere/obere net/gross perigee/apogee sold/total used/total "
    "earliest/latest excl/incl ex/inc excluding/including without/with "
    "lloq/uloq llod/ulod lod/loq lcl/ucl paid/total received/total earned/total completed/total passed/total "
    "failed/total attended/total "
    "claimed/limit used/limit sold/limit redeemed/limit taken/limit claimed/total redeemed/total "
    "taken/total booked/total previous/last prev/last departure/return depart/retour salida/llegada "
    "pickup/dropoff lsl/usl lft/rgt "
    "renew/rebind open/close prev/curr previous/current prior/current opening/closing average/peak avg/peak mean/peak "
    "dry/launch dry/wet trade/retail alter/neuer ancien/nouveau anterior/actual"
)
_OF_MOMENTS = (
    "starts/ends started/ended begin/end begins/ends valid_from/valid_to valid_from/valid_until opens/closes opened/closed "
    "departs/arrives departure/arrival issued/expires issued/expired issue/expiry hired/left checkin/checkout "
    "check_in/check_out time_in/time_out clock_in/clock_out "
    "arrival/leaving sent/received sent/read shipped/delivered ordered/delivered scheduled/completed queued/started "
    "commissioned/retired born/died anfang/ende beginn/ende debut/fin inicio/fin "
    "du/au desde/hasta von/bis ab/bis depuis/jusqu"
)


def _firsts(pairs: str) -> dict[str, tuple[str, ...]]:
    found: dict[str, tuple[str, ...]] = {}
    for first, second in (pair.split("/") for pair in pairs.split()):
        found[second] = (*found.get(second, ()), first)
    return found


_OF_NUMBERS, _OF_ALL = _firsts(_OF_RANGES), _firsts(f"{_OF_MOMENTS} {_OF_RANGES}")
# what is less at its end than at its start
_RUNNING_DOWN = frozenset("pressure bar battery fuel charge cylinder tank bulb".split())


def guess_order(world: World) -> World:
    """Moments and ranges of numbers in the order that their names tell, where nothing else bounds them."""
    return replace(world, entities=tuple(_order(entity, world) for entity in world.entities))


def _order(entity: Entity, world: World) -> Entity:
    ordered = [f for f in entity.fields if f.type.name in MOMENTS | NUMBERS and not f.generated]
    if len(ordered) < 2:
        return entity
    keyed = {column for rule in entity.unique_rules for column in rule.columns}
    written = {f.name: folded(world.written(f.name)) for f in ordered}
    names = {(f.type.name, written[f.name]): f for f in ordered}
    made = [f for f in ordered if f.type.name in MOMENTS and _MADE.fullmatch(written[f.name])]
    bounded: dict[str, Field] = {}
    for field in ordered:
        if field.name in keyed or not _is_unbounded(field):
            continue
        earlier = (one for one in _before(field, written[field.name], names, made) if field.name not in _held_to(entity, one))
        if (first := next(earlier, None)) is not None and not is_always_above(*_by_order(field, first, written[field.name])):
            bounded[field.name] = first
    fields = []
    for field in entity.fields:
        if (first := bounded.get(field.name)) is None or first.name in _chain(bounded, first.name, field.name):
            fields.append(field)
            continue
        number = field.type.name in NUMBERS
        runs_down = _by_order(field, first, written[field.name])[0] is field
        said = "above" if runs_down else "below" if number else "before"
        why = f"{field.name} is not {said} {first.name}, by their names"
        bound = Bound(comparison="<=" if runs_down else ">=", operand=first.name, path=True, origin=Origin.GUESSED)
        guess = field.guess and Guess(reason=f"{field.guess.reason}; {why}", confidence=field.guess.confidence)
        fields.append(replace(field, limits=replace(field.limits, bounds=(*field.limits.bounds, bound)), guess=guess))
    return replace(entity, fields=tuple(fields)) if bounded else entity


def _held_to(entity: Entity, field: Field) -> set[str]:
    """The fields that a field's bounds name, and theirs."""
    seen: set[str] = set()
    left = [field]
    while left:
        named = {bound.operand for bound in left.pop().limits.bounds if bound.path and bound.operand in entity.field_names} - seen
        seen |= named
        left += [entity.field(name) for name in named]
    return seen


def _by_order(field: Field, first: Field, name: str) -> tuple[Field, Field]:
    """A field and the one that it follows, the lesser first: of a number that runs down the one that follows."""
    runs_down = field.type.name in NUMBERS and not _RUNNING_DOWN.isdisjoint(name.split("_"))
    return (field, first) if runs_down else (first, field)


def _before(field: Field, name: str, names: dict[tuple[TypeName, str], Field], made: list[Field]) -> Iterator[Field]:
    """The fields of the same type that this one may come after, by its name, the likeliest first."""
    type_name = field.type.name
    if type_name in MOMENTS and _LATER.fullmatch(name):
        yield from (other for other in made if other.type.name is type_name and other.name != field.name)
    words, firsts = name.split("_"), _OF_NUMBERS if type_name in NUMBERS else _OF_ALL
    if type_name in NUMBERS and words[0] in HIGHEST and (now := names.get((type_name, "_".join(words[1:])))) is not None:
        yield now
    for start in range(len(words)):
        for length in (1, 2):
            for first in firsts.get("_".join(words[start : start + length]), ()):
                other = names.get((type_name, "_".join([*words[:start], first, *words[start + length :]])))
                if other is not None and other.name != field.name:
                    yield other


def _chain(bounded: dict[str, Field], start: str, end: str) -> set[str]:
    """`start` itself where following the bounds from it leads back to `end`; else nothing."""
    seen, at = set(), start
    while at in bounded and at not in seen:
        seen.add(at)
        at = bounded[at].name
        if at == end:
            return {start}
    return set()


_NO_LIMITS = Limits()


def _is_unbounded(field: Field) -> bool:
    said = field.source is not None and field.guess is None
    return not said and not field.limits.bounds and not field.generated and field.limits == _NO_LIMITS
