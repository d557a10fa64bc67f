"""What was measured put in the place of what was guessed: shares of nulls, weights, quantiles, forms, times, rows for owners."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from math import ceil, floor, log10

import numpy as np

from ..model import (
    EVEN,
    Candidate,
    ComputeSource,
    Entity,
    Favour,
    Field,
    Guess,
    KindSource,
    PatternSource,
    PerOwner,
    Present,
    Relation,
    RowCount,
    ShapeSource,
    Source,
    WeightsSource,
    World,
)
from ..model.changing import changed
from ..model.fields import Follow
from ..model.origins import Origin
from ..model.phrases import plural
from ..model.types import MOMENTS, NUMBERS, TEXTS, TypeName
from .profile import DECILES, FOR_DECILES, Children, EntityProfile, FieldProfile, K
from .telling import is_free_text, is_personal, told_form, told_values

_OF_ROWS = frozenset("moment date date-time epoch iso-time".split())  # kinds of moments at which rows come to be


@dataclass(frozen=True, slots=True)
class Learned:
    """The world with what was measured, and what was left out, by field: why nothing of it is told."""

    world: World
    left_out: tuple[tuple[str, str], ...]


def learn(world: World, profiles: Mapping[str, EntityProfile], *, counted: bool = True) -> Learned:
    """The world with what was measured in place of guesses, with or without the numbers of rows; what somebody said stays."""
    left: list[tuple[str, str]] = []
    entities = tuple(_learned(one, profiles[one.name], left, counted) if one.name in profiles else one for one in world.entities)
    missing = [(entity.name, "there are no rows of it") for entity in world.entities if entity.name not in profiles]
    window = _window(profiles) or world.window
    return Learned(replace(world, entities=entities, window=window), (*left, *missing))


def _window(profiles: Mapping[str, EntityProfile]) -> tuple[str, str] | None:
    """The months in which nearly all moments lie that are of the rows themselves."""
    rhythms = [told.rhythm for one in profiles.values() for told in one.fields.values() if told.rhythm is not None]
    if not rhythms:
        return None
    widest = max(rhythms, key=lambda one: int((one.last - one.first).astype(np.int64)))
    recent = [one for one in rhythms if one.first >= widest.last - np.timedelta64(60, "M")] or [widest]
    return f"{min(one.first for one in recent)}-01", f"{max(one.last for one in recent) + np.timedelta64(1, 'M')}-01"


def _learned(entity: Entity, profile: EntityProfile, left: list[tuple[str, str]], counted: bool) -> Entity:
    if profile.sampled < 2 * K:
        left.append((entity.name, f"fewer than {2 * K} rows tell nothing but how many they are"))
        return _counted(entity, profile) if counted else entity
    keyed = {column for rule in entity.unique_rules for column in rule.columns}
    referring = {column for relation in entity.relations for column in relation.columns}
    fields = []
    for field in entity.fields:
        told = profile.fields.get(field.name)
        if told is None and field.generated is None:
            left.append((f"{entity.name}.{field.name}", "it is not there, or holds something else than its type says"))
        if told is None or not field.free or field.generated is not None or field.identity:
            fields.append(field)
            continue
        if field.name in referring or field.name in entity.key:
            fields.append(_with_share(field, told))
            continue
        source, why = _source(entity, field, told, field.name in keyed)
        if source is None and why:
            left.append((f"{entity.name}.{field.name}", why))
        fields.append(_with_share(_filled_from(field, source, profile.sampled), told))
    entity = changed(entity, fields=_following(tuple(fields), profile))
    return _counted(entity, profile) if counted else entity


def _source(entity: Entity, field: Field, told: FieldProfile, keyed: bool) -> tuple[Source | None, str]:
    """What a field is filled from by what was measured; or why nothing is told of its values."""
    kind = field.type.name
    if told.filled < 2 * K:
        return None, f"fewer than {2 * K} values tell nothing"
    if is_personal(field):
        return None, "it is about somebody"
    if isinstance(field.source, ComputeSource):
        return None, "it follows from other fields"
    if any(bound.path for bound in field.limits.bounds):
        return None, "it keeps to another field"
    if kind in MOMENTS:
        return _by_rhythm(field, told)
    if kind in NUMBERS | {TypeName.BOOLEAN} and not keyed:
        return _of_numbers(entity, field, told)
    if kind not in TEXTS | {TypeName.ENUM}:
        return None, "" if keyed else f"nothing is measured of {field.type}"
    if is_free_text(field) and not field.limits.allowed:
        return _of_length(field, told)
    if keyed or not told.is_of_few:
        return _of_codes(field, told)
    values = told_values(entity, field, tuple(value for value, _ in told.by_value))
    if values is None:
        return None, "its values are none that may be told, and no others can stand in their place"
    return _weights(values, told), ""


def _weights(values: tuple[str, ...], told: FieldProfile) -> WeightsSource:
    total = sum(count for _, count in told.by_value)
    shares = (max(0.1, round(100 * count / total, 1)) for _, count in told.by_value)
    return WeightsSource(weights=tuple(zip(values, shares, strict=True)))


def _of_numbers(entity: Entity, field: Field, told: FieldProfile) -> tuple[Source | None, str]:
    if told.is_of_few:
        values = told_values(entity, field, tuple(value for value, _ in told.by_value))
        if values is not None:
            return _weights(values, told), ""
    if len(told.numbers) < DECILES or field.limits.allowed or field.type.name is TypeName.BOOLEAN:
        few = told.filled < FOR_DECILES * K
        return None, f"fewer than {FOR_DECILES * K} numbers have no shape" if few else "its numbers are too much alike"
    names = (f"q{number}" for number in range(len(told.numbers)))
    return ShapeSource(shape="quantiles", parameters=tuple(zip(names, told.numbers, strict=True))), ""


def _by_rhythm(field: Field, told: FieldProfile) -> tuple[Source | None, str]:
    rhythm = told.rhythm
    if rhythm is None:
        return None, "its moments cannot be read"
    source = field.source
    of_rows = isinstance(source, KindSource) and source.kind in _OF_ROWS
    if not of_rows or dict(source.parameters).get("when", "past") != "past":  # type: ignore[union-attr]
        return None, "its moments lie outside of the time of its rows"
    parts = {"growth": f"{rhythm.growth:g}"}
    for name, weights in (("weekdays", rhythm.weekdays), ("months", rhythm.months), ("hours", rhythm.hours)):
        if weights:
            parts[name] = " ".join(map(str, weights))
    return KindSource(kind="rhythm", parameters=tuple(parts.items())), ""


def _of_length(field: Field, told: FieldProfile) -> tuple[Source | None, str]:
    """A text as long as those that are there, of which nothing else is told."""
    source = field.source
    if told.lengths is None or not isinstance(source, KindSource) or source.kind not in ("text", "remark", "notice"):
        return None, "it is a free text"
    kept = tuple(one for one in source.parameters if one[0] != "characters")
    return KindSource(kind=source.kind, parameters=(*kept, ("characters", str(max(10, round(told.lengths[1], -1)))))), ""


def _of_codes(field: Field, told: FieldProfile) -> tuple[Source | None, str]:
    unsure = field.guess is None or field.guess.confidence < 0.8 or isinstance(field.source, PatternSource)
    coded = isinstance(field.source, KindSource) and field.source.kind in ("code", "slug", "pattern", "part-name", "thing-name")
    form = told_form(told.form) if told.form is not None else None
    if form is not None and (unsure or coded) and not field.limits.patterns:
        return PatternSource(pattern=form, origin=Origin.GUESSED), ""
    return None, "it is a free text" if is_free_text(field) else "its values are as different as those of a free text"


def _filled_from(field: Field, source: Source | None, rows: int) -> Field:
    """The field with a measured source; what was guessed before is what that gives way to."""
    if source is None:
        return field
    first = () if field.source is None or field.guess is None else (Candidate(source=field.source, guess=field.guess),)
    guess = Guess(reason=f"measured in {plural(rows, 'row')}", confidence=1.0)
    return changed(field, source=source, guess=guess, others=(*first, *field.others))


def _with_share(field: Field, told: FieldProfile) -> Field:
    """The field with the measured share of rows that have a value, where only a guess says when there is one."""
    present = field.present
    guessed = present is None or present.origin in (Origin.GUESSED, Origin.FALLBACK)
    if not field.nullable or not guessed or told.rows < 2 * K or (present is not None and present.when is not None):
        return field
    share = round(told.share, 2)
    if 0 < told.nulls < K or 0 < told.filled < K:  # fewer than may be told of
        share = round(told.share)
    return changed(field, present=Present(share=float(share), origin=Origin.GUESSED))


def _following(fields: tuple[Field, ...], profile: EntityProfile) -> tuple[Field, ...]:
    """Numbers with measured shapes that rise or fall with earlier ones, each with those that it hangs on most."""
    measured = {field.name for field in fields if isinstance(field.source, ShapeSource) and field.guess is not None}
    found: dict[str, dict[str, float]] = {}
    for (one, other), rank in profile.ranks.items():
        if {one, other} <= measured:
            found.setdefault(one, {})[other] = max(-_MOST, min(_MOST, rank))
    return tuple(
        changed(
            field, follows=tuple(Follow(field=other, correlation=rank) for other, rank in _at_once(found[field.name], profile))
        )
        if field.name in found and not field.follows
        else field
        for field in fields
    )


_MOST, _SEVERAL = 0.95, 3  # how strongly a number follows another, and how many of them
_EXPLAINED = 0.95  # of a number's variance, by all that it follows


def _at_once(ranks: dict[str, float], profile: EntityProfile) -> list[tuple[str, float]]:
    """The strongest correlations of a number with others, as many as leave something of its own."""
    strongest = sorted(ranks.items(), key=lambda one: (-abs(one[1]), one[0]))[:_SEVERAL]
    for number in range(len(strongest), 1, -1):
        names, wanted = [name for name, _ in strongest[:number]], np.array([rank for _, rank in strongest[:number]])
        among = [[1.0 if a == b else profile.ranks.get((a, b), profile.ranks.get((b, a), 0.0)) for b in names] for a in names]
        if np.linalg.cond(among) < _NEARLY_THE_SAME and wanted @ np.linalg.solve(among, wanted) < _EXPLAINED:
            return strongest[:number]
    return strongest[:1]


_NEARLY_THE_SAME = 50.0  # the condition of a matrix of correlations from which two numbers tell hardly more than one


def _counted(entity: Entity, profile: EntityProfile) -> Entity:
    """The entity with as many rows as there are, or as many for each owner, and references as they spread."""
    if entity.rows is not None:
        return entity
    owner = _owner(profile, _required(entity, profile))
    relations = tuple(
        replace(relation, favour=_favour(profile.children[relation.name]))
        if relation.name in profile.children and relation is not owner and relation.favour is None and _is_plain(entity, relation)
        else relation
        for relation in entity.relations
    )
    rows = RowCount(number=_rounded(profile.rows)) if owner is None else _per(owner, profile.children[owner.name])
    return changed(entity, rows=rows, relations=relations)


_SKEWED = 0.35  # of the references, from which on a fifth of the targets takes so many that a mean tells little of them


def _required(entity: Entity, profile: EntityProfile) -> list[Relation]:
    """The references that every row has, to enough rows of another entity."""
    unique = {rule.columns for rule in entity.unique_rules}
    return [
        relation
        for relation in entity.relations
        if relation.name in profile.children
        and relation.target != entity.name
        and profile.children[relation.name].owners >= 2 * K
        and relation.columns not in unique
        and not any(entity.field(column).nullable for column in relation.columns)
    ]


def _owner(profile: EntityProfile, required: list[Relation]) -> Relation | None:
    """The reference by which rows are counted: the one of which most targets have some, unless a few of them have nearly all."""
    best = min(required, key=lambda one: profile.children[one.name].none, default=None)
    if best is None:
        return None
    told = profile.children[best.name]
    return None if told.none < 0.02 and told.mean > 3 and told.favourites > _SKEWED else best


def _is_plain(entity: Entity, relation: Relation) -> bool:
    keyed = {column for rule in entity.unique_rules for column in rule.columns}
    return relation.target != entity.name and keyed.isdisjoint(relation.columns) and relation.spread is None


def _per(relation: Relation, told: Children) -> PerOwner:
    mean = max(0.01, round(told.mean, 2))
    none = round(told.none, 2) if 0.005 <= told.none < 1 else 0.0
    if told.least == told.most == told.mean:
        return PerOwner(per=relation.name, each=told.most)
    most = max(told.most, 1, ceil(mean / (1 - none)))
    return PerOwner(
        per=relation.name, mean=mean, least=min(max(1, told.least), floor(mean / (1 - none)) or 1), most=most, none=none
    )


def _favour(told: Children) -> Favour | None:
    """None where too few targets tell anything."""
    if told.owners < 2 * K:
        return None
    take = round(told.favourites, 2)
    return EVEN if take <= 0.25 else Favour(few=0.2, take=min(0.99, take))


def _rounded(number: int) -> int:
    """To three digits: how many rows there are exactly is nobody's business."""
    digits = 0 if number < 1 else floor(log10(number)) - 2
    return int(round(number, -digits)) if digits > 0 else number
