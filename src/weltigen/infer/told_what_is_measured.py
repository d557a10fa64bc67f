"""What a row, or what it refers to, says is measured there: units, and the limits of what is usual, by that."""

from __future__ import annotations

from collections.abc import Iterator

from ..expression.names import plain_name, quoted_text
from ..model import Entity, Field, WeightsSource, World
from ..model.changing import changed
from ..model.types import NUMBERS, TEXTS, FieldType, TypeName
from .copies import computed, is_open, keyed_columns
from .free import named_in_rules
from .measured_things import Quantity, quantity_in, quantity_named
from .naming import Vocabulary
from .plain_words import noun_words, own_words

COUNT = frozenset("meter counter".split())  # what only rises
_TELLS = frozenset(
    "type kind metric parameter quantity measure variable measurand property channel name unit units analyte test component "
    "marker determinand assay code".split()
)
_UNIT = frozenset(tuple(name.split()) for name in ("unit", "units", "measurement unit", "unit measure", "uom", "unit of measure"))
_LOWER = frozenset(
    "reference low/reference minimum/reference lower/reference range low/normal low/low normal/lower limit/limit low/limit lower/"
    "minimum value/value minimum/alarm low/low alarm/low threshold/threshold low/minimum threshold/threshold minimum/minimum/"
    "warning low/low limit/ref low/range low/lower bound/range minimum/minimum range/low".split("/")
)
_UPPER = frozenset(
    "reference high/reference maximum/reference upper/reference range high/normal high/high normal/upper limit/limit high/"
    "limit upper/maximum value/value maximum/alarm high/high alarm/high threshold/threshold high/maximum threshold/high/"
    "threshold maximum/maximum/warning high/high limit/ref high/range high/upper bound/range maximum/maximum range".split("/")
)
_WITHIN = 0.08  # of the range of all values, so far from its ends the limits lie
_KNOWN = 0.5  # of what a field tells, to be what decides


def with_units(world: World, entity: Entity, words: dict[str, tuple[str, ...]], vocabulary: Vocabulary) -> Entity:
    """The entity with the unit of what is measured by the kind that stands beside it, or in what the row refers to."""
    unit = next((field for field in entity.fields if field.type.name in TEXTS and words[field.name] in _UNIT), None)
    if unit is None or not is_open(unit, keyed_columns(entity)) or unit.name.lower() in named_in_rules(entity):
        return entity
    for path, known in deciding(world, entity, vocabulary):
        told = {value: _unit_of(quantity, unit.room) for value, quantity in known.items()}
        if path == plain_name(unit.name) or not any(told.values()):
            continue
        whens: dict[str, list[str]] = {}
        for value, symbol in told.items():
            if symbol is not None:
                whens.setdefault(quoted_text(symbol), []).append(value)
        made = computed(unit, _case(path, whens, quoted_text("-")), f"that of {path}")
        return changed(entity, fields=tuple(made if field is unit else field for field in entity.fields))
    return entity


def _unit_of(quantity: Quantity, room: int | None) -> str | None:
    return next((unit for unit in quantity.units if unit != "-" and (room is None or len(unit) <= room)), None)


def with_ends(world: World, entity: Entity, words: dict[str, tuple[str, ...]], vocabulary: Vocabulary) -> Entity:
    """The entity with the limits of what is measured by the kind that stands beside them, or in what the row refers to."""
    ends = {
        field.name: upper
        for field in entity.fields
        for upper, names in ((False, _LOWER), (True, _UPPER))
        if field.type.name in NUMBERS and " ".join(words[field.name]) in names
    }
    if len(ends) < len(("low", "high")):
        return entity
    told, keyed = named_in_rules(entity), keyed_columns(entity)
    found = next(deciding(world, entity, vocabulary), None)
    if found is None:
        return entity
    path, known = found
    made: dict[str, Field] = {}
    for name, upper in ends.items():
        field = entity.field(name)
        whens: dict[str, list[str]] = {}
        for value, quantity in known.items():
            apart = _WITHIN * (quantity.high - quantity.low) * (-1 if upper else 1)
            end = (quantity.high if upper else max(quantity.low, float(quantity.minimum or quantity.low))) + apart
            whens.setdefault(short_number(end, 2), []).append(value)
        fits = all(abs(float(end)) <= most_of(field.type) for end in whens)
        if fits and is_open(field, keyed) and name.lower() not in told and not isinstance(field.source, WeightsSource):
            made[name] = computed(field, _case(path, whens, "100" if upper else "0"), f"that of {path}")
    if len(made) != len(ends):
        return entity
    return changed(entity, fields=tuple(made.get(field.name, field) for field in entity.fields))


def _case(path: str, whens: dict[str, list[str]], otherwise: str) -> str:
    told = " ".join(f"WHEN {is_one_of(path, values)} THEN {made}" for made, values in whens.items())
    return f"CASE {told} ELSE {otherwise} END"


def is_one_of(path: str, values: list[str]) -> str:
    one, *more = map(quoted_text, values)
    return f"{path} IN ({', '.join((one, *more))})" if more else f"{path} = {one}"


def deciding(world: World, entity: Entity, vocabulary: Vocabulary) -> Iterator[tuple[str, dict[str, Quantity]]]:
    """Cells that tell what is measured, each with the quantity behind each of its values: the row's own, then those of the rows
    that it refers to and those refer to; kinds before units."""
    reached: list[tuple[str, Entity]] = [("", entity)]
    for relation in entity.relations:
        target = world.entity(relation.target)
        if target.name != entity.name and all(not entity.field(column).nullable for column in relation.columns):
            path = f"{plain_name(relation.name)}."
            reached.append((path, target))
            reached += [
                (f"{path}{plain_name(further.name)}.", world.entity(further.target))
                for further in target.relations
                if further.target not in (entity.name, target.name)
                and all(not target.field(column).nullable for column in further.columns)
            ]
    counts = any(COUNT & set(noun_words(one, vocabulary)) for _, one in reached)
    units: list[tuple[str, dict[str, Quantity]]] = []
    for path, one in reached:
        words = own_words(one, vocabulary)
        for field in one.fields:
            if field.nullable or not _TELLS & set(words[field.name]):
                continue
            cell = f"{path}{plain_name(field.name)}"
            if known := _quantities_of(field, vocabulary, counts):
                yield cell, known
            elif words[field.name] in _UNIT and (known := _by_units(field)):
                units.append((cell, known))
    yield from units


def _values_of(field: Field) -> tuple[str, ...]:
    """What a text may be, where that is one of a few."""
    if field.type.name not in TEXTS | {TypeName.ENUM}:
        return ()
    if isinstance(field.source, WeightsSource):
        return field.source.values()
    return field.limits.allowed[0].values if field.limits.allowed else field.type.values


def _quantities_of(field: Field, vocabulary: Vocabulary, counts: bool) -> dict[str, Quantity]:
    """`counts`: whether meters are spoken of, of which there are some for water, gas and current."""
    values = _values_of(field)
    known: dict[str, Quantity] = {}
    for value in values:
        words = vocabulary.words(value)
        found = (quantity_named((*words[-1:], "meter")) if counts else None) or quantity_named(words)
        if found is not None:
            known[value] = found
    return known if values and len(known) >= max(2, _KNOWN * len(values)) else {}


def _by_units(field: Field) -> dict[str, Quantity]:
    values = _values_of(field)
    known = {value: found for value in values if (found := quantity_in(value)) is not None}
    return known if values and len(known) >= max(2, _KNOWN * len(values)) else {}


def most_of(kind: FieldType) -> float:
    if kind.name is TypeName.NUMERIC:
        whole, digits = kind.digits
        return float(10 ** (whole - digits)) - 1 if whole else float("inf")
    return {TypeName.SMALLINT: 32_767.0}.get(kind.name, 2e9)


def short_number(number: float, digits: int = 3) -> str:
    """Few digits are enough to say where something lies."""
    text = f"{number:.{digits}g}"
    return f"{float(text):.0f}" if "e" in text and abs(number) >= 1 else text
