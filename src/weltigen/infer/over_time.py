"""What is measured again and again, by the sensor, meter or body that it is measured of: values that go on from what they were a
while ago, in the range of what is measured there."""

from __future__ import annotations

from dataclasses import dataclass, replace

from ..model import Candidate, Case, CasesSource, Entity, Field, Guess, KindSource, Present, Relation, WeightsSource, World
from ..model.changing import changed
from ..model.origins import Origin
from ..model.types import INTEGERS, MOMENTS, NUMBERS, TypeName
from .free import is_open, named_in_rules, without_floor
from .measured_things import Quantity, quantity_in, quantity_named
from .naming import Vocabulary
from .plain_words import noun_words, own_words, plain_words
from .row_numbers import guessed_span
from .told_what_is_measured import COUNT, deciding, is_one_of, most_of, short_number, with_ends, with_units
from .units import SIZES
from .vocabularies import vocabulary_of

_ROWS = frozenset(  # whose rows are of what was measured
    "reading measurement observation sample telemetry metric datapoint point vital signal readout weather".split()
)
_BEFORE_ROWS = frozenset("weather telemetry climate vital vitals meteo sensor meter".split())  # before `data`, `log`, `record`
_MEASURING = frozenset("measured observed sampled read reading metered gauged".split())
_MOMENTS = frozenset(
    "measured observed sampled read reading recorded taken logged collected captured received timestamp time date observation "
    "sample sampling measurement obs metered polled tested checked".split()
)
_MEASURES = frozenset(  # what measures, or of what is measured
    "sensor station meter probe gauge logger device node tracker transmitter thermometer buoy detector instrument monitor "
    "channel stream datastream register well borehole tank hive silo pump turbine inverter panel room zone patient animal "
    "machine motor pipe river reservoir pool pond".split()
)
_WHO = frozenset("by user staff author operator employee created reader observer inspector technician nurse doctor".split())
_VALUES = frozenset(
    "value/reading/measurement/measured value/value measured/reading value/measurement value/value reading/raw value/val/numeric/"
    "result value/sensor value/value raw/observed value/numeric value/value numeric/sample value/metric value/data value/result/"
    "concentration/value found/numeric result/result numeric/meter reading/meter value/meter state/counter reading/counter value/"
    "meter index/register reading/register value".split("/")
)
_LIVING = frozenset("patient resident person athlete child baby donor vitals vital animal".split())  # with a body of 37 °C
_OUTDOORS = frozenset("weather meteo station observation climate".split())
_GRADES = frozenset((("quality",), ("quality", "code"), ("quality", "flag"), ("qc", "flag"), ("quality", "status")))
_FALLS = frozenset("rain rainfall precipitation snowfall hail".split())
_NEARLY_ALWAYS = 0.97  # of the values that may be missing
_MOST_CASES = 16
_SEVERAL = 2  # quantities, which are measured together
_BELIEVED = 0.75  # a guess of a range that is kept


def guess_courses(world: World) -> World:
    """Numbers that are measured again and again by their course over time; units by what is measured."""
    vocabulary = vocabulary_of(world)
    return replace(world, entities=tuple(_measured(world, entity, vocabulary) for entity in world.entities))


@dataclass(frozen=True, slots=True)
class _Measuring:
    """An entity of measurements: when they were taken, and of what."""

    moment: Field
    owner: Relation | None
    owner_key: str | None

    def parameters(self) -> dict[str, str]:
        per = {} if self.owner_key is None else {"per": self.owner_key}
        return {"of": self.moment.name, **per}


def _measured(world: World, entity: Entity, vocabulary: Vocabulary) -> Entity:
    if entity.there:
        return entity
    noun = noun_words(entity, vocabulary)
    plain, own = plain_words(entity, vocabulary), own_words(entity, vocabulary)
    words = {name: plain[name] if _without_unit(plain[name]) in _VALUES else told for name, told in own.items()}
    entity = with_ends(world, with_units(world, entity, own, vocabulary), own, vocabulary)
    telling = bool(_ROWS & set(noun[-1:]) or _BEFORE_ROWS & set(noun[:-1]))
    verbs = any(word in _MEASURING for field in entity.fields if field.type.name in MOMENTS for word in words[field.name][:1])
    if not (telling or verbs):
        quantities = sum(field.type.name in NUMBERS and quantity_named(words[field.name]) is not None for field in entity.fields)
        if quantities < _SEVERAL or not any(_measures(world, relation, vocabulary) for relation in entity.relations):
            return entity
    measuring = _measuring(world, entity, words, vocabulary, telling or verbs)
    if measuring is None:
        return entity
    told = named_in_rules(entity)
    about = {*noun, *_noun_of(world, measuring.owner, vocabulary)}
    place = "body" if about & _LIVING else "air" if about & _OUTDOORS else ""
    fields = tuple(
        _course(world, entity, field, words[field.name], measuring, vocabulary, place)
        if field.type.name in NUMBERS and field.name.lower() not in told
        else field
        for field in entity.fields
    )
    return changed(entity, fields=fields) if fields != entity.fields else entity


def _noun_of(world: World, relation: Relation | None, vocabulary: Vocabulary) -> tuple[str, ...]:
    return noun_words(world.entity(relation.target), vocabulary) if relation is not None else ()


def _measures(world: World, relation: Relation, vocabulary: Vocabulary) -> bool:
    """Whether a reference goes to what measures, or to that of which something is measured."""
    return bool(_MEASURES & set(_noun_of(world, relation, vocabulary)[-1:]))


def _measuring(
    world: World, entity: Entity, words: dict[str, tuple[str, ...]], vocabulary: Vocabulary, sure: bool
) -> _Measuring | None:
    moments = [field for field in entity.fields if not field.nullable and _is_when(field, words[field.name])]
    if not moments:
        return None
    moments.sort(key=lambda field: not _MEASURING & set(words[field.name]))
    single = [r for r in entity.relations if len(r.columns) == 1 and not entity.field(r.columns[0]).nullable]
    owners = [r for r in single if not _WHO & set(vocabulary.words(r.columns[0]))]
    owners.sort(key=lambda relation: not _measures(world, relation, vocabulary))
    owner = owners[0] if owners else None
    if owner is None and not sure:
        return None
    return _Measuring(moments[0], owner, owner.columns[0] if owner is not None else None)


def _is_when(field: Field, words: tuple[str, ...]) -> bool:
    epoch = isinstance(field.source, KindSource) and field.source.kind == "epoch" and field.type.name in INTEGERS
    return (field.type.name in MOMENTS - {TypeName.TIME} or epoch) and bool(_MOMENTS & set(words))


def _course(
    world: World,
    entity: Entity,
    field: Field,
    words: tuple[str, ...],
    measuring: _Measuring,
    vocabulary: Vocabulary,
    place: str,
) -> Field:
    if not is_open(entity, without_floor(field)) or not _may_have_course(field):
        return field
    if words in _GRADES and field.type.name in INTEGERS and (field.default or "0").strip("'") == "0":
        weights = (("0", 94.0), ("1", 4.0), ("2", 2.0))
        return _filled(field, WeightsSource(weights=weights), "0 is good: what a reading is flagged with", measuring)
    if (plain := _without_unit(words)) in _VALUES:
        known = quantity_in("".join(words[len(plain.split()) :])) if len(plain.split()) < len(words) else None
        return _by_what(world, entity, field, measuring, vocabulary, known)
    known = quantity_named(words)
    if known is not None and known.name == "temperature":
        known = quantity_named((place, "temperature"))
    span = guessed_span(field)
    if _FALLS & set(words) and span is not None and isinstance(field.source, KindSource):
        told = {**dict(field.source.parameters), "shape": "low"}
        mostly_none = KindSource(kind=field.source.kind, parameters=tuple(told.items()))
        return _filled(field, mostly_none, "mostly none falls", measuring)
    if known is None or span is None or field.guess is None:
        return field
    own = field.guess.confidence >= _BELIEVED and not (place and known.name == f"{place} temperature")
    of_few = isinstance(field.source, WeightsSource)  # which are no measurements
    if known.rise is None and not of_few and (own or not _of_one_size(known, span)):
        known = replace(known, low=span[0], high=span[1], minimum=short_number(max(span[0], 0)) if span[0] >= 0 else None)
    source = _source(known, 1.0, field, measuring)
    return field if source is None else _filled(field, source, f"{known.name} over {measuring.moment.name}", measuring)


def _of_one_size(known: Quantity, span: tuple[float, float]) -> bool:
    """Whether what is known of a quantity is of the size that its field is guessed to have, and so in the same unit."""
    return max(span[1], known.high) <= 4 * max(1e-9, min(span[1], known.high)) and known.low >= 0


def _may_have_course(field: Field) -> bool:
    if field.guess is None or field.source is None:
        return field.source is None
    if isinstance(field.source, WeightsSource):
        return field.type.name not in INTEGERS and guessed_span(field) is not None
    return isinstance(field.source, KindSource) and guessed_span(field) is not None


def _without_unit(words: tuple[str, ...]) -> str:
    """A name without the unit that it ends in: `reading_m3`."""
    plain = words
    while len(plain) > 1 and (plain[-1] in SIZES or plain[-1] in ("3", "kwh", "mwh", "celsius", "c", "f", "pct", "percent")):
        plain = plain[:-1]
    return " ".join(plain)


def _by_what(
    world: World, entity: Entity, field: Field, measuring: _Measuring, vocabulary: Vocabulary, in_unit: Quantity | None
) -> Field:
    """The value by what the row, or what it is of, says is measured; else in a modest range. `in_unit`: what the unit in its name
    is mostly of."""
    found = next(deciding(world, entity, vocabulary), None) if in_unit is None else None
    if found is None:
        own = _named_owner(world, entity, measuring, vocabulary) or in_unit
        source = _source(own or _ANY, 1.0, field, measuring)
        return (
            field
            if source is None
            else _filled(field, source, f"{own.name if own else 'a measurement'} over {measuring.moment.name}", measuring)
        )
    path, known = found
    cases: dict[Quantity, list[str]] = {}
    for value, quantity in known.items():
        cases.setdefault(quantity, []).append(value)
    made: list[Case] = []
    for quantity, values in list(cases.items())[:_MOST_CASES]:
        when = is_one_of(path, values)
        source = _source(quantity, _size_in(quantity, values[0]), field, measuring)
        if source is not None:
            made.append(Case(source=source, when=when))
    rising = any(quantity.rise is not None for quantity in cases)  # as all that meters count
    rest = _source(_COUNTER if rising else _ANY, 1.0, field, measuring)
    if not made or rest is None:
        return field
    return _filled(
        field,
        CasesSource(cases=(*made, Case(source=rest))),
        f"what {path} says is measured, over {measuring.moment.name}",
        measuring,
    )


_COUNTER = Quantity("something counted", (), 300, 9000, rise=(250, 1400))
_ANY = Quantity("something", (), 12, 88, day=0.08, year=0.03, drift=0.14)


def _size_in(quantity: Quantity, unit: str) -> float:
    """How many of a unit make one of the first of a quantity's units."""
    first, own = (SIZES.get(name.lower()) for name in ((quantity.units or ("",))[0], unit))
    if first is None or own is None or first is not own:
        return 1.0
    return first[quantity.units[0].lower()] / own[unit.lower()]


def _named_owner(world: World, entity: Entity, measuring: _Measuring, vocabulary: Vocabulary) -> Quantity | None:
    """The quantity that the entity or what it is of is called by: a rain gauge's reading, a water meter, which counts."""
    nouns = (_noun_of(world, measuring.owner, vocabulary), noun_words(entity, vocabulary))
    counts = any(COUNT & set(noun) for noun in nouns)
    for noun in nouns:
        named = tuple(word for word in noun if word not in _ROWS)
        if counts and (found := quantity_named((named[0], "meter") if named[1:] else named)) is not None:
            return found
        if (found := quantity_named(named)) is not None:
            return found
    return quantity_named(("electricity", "meter")) if counts else None


def _source(quantity: Quantity, size: float, field: Field, measuring: _Measuring) -> KindSource | None:
    """The course of a quantity, in a unit of which so many make one of its first; None where the type has no room for it."""
    most = most_of(field.type)
    low, high = quantity.low * size, quantity.high * size
    if quantity.alone:
        ends = (("from", short_number(low)), ("to", short_number(high)), ("shape", "hump"))
        return KindSource(kind="number", parameters=ends) if high <= most else None
    told = measuring.parameters()
    if quantity.rise is not None:
        slow, fast = (rate * size for rate in quantity.rise)
        if high + 3 * fast > most:
            low, high, slow, fast = (number * most / (high + 3 * fast) for number in (low, high, slow, fast))
        told |= {
            "from": short_number(low),
            "to": short_number(high),
            "rise": f"{short_number(slow)} {short_number(fast)}",
            "drift": "0",
            "noise": "0",
        }
        return KindSource(kind="course", parameters=tuple(told.items()))
    if high > most:
        return None
    wide = high - low
    swings = {"day": quantity.day, "year": quantity.year, "drift": quantity.drift}
    reach = min(0.48, sum(map(abs, swings.values())) + 4 * quantity.noise)
    told |= {"from": short_number(low + reach * wide), "to": short_number(high - reach * wide)}
    told |= {name: short_number(part * wide) for name, part in swings.items() if part or name == "drift"}
    told["noise"] = short_number(quantity.noise * wide)
    for name, end in (("minimum", quantity.minimum), ("maximum", quantity.maximum)):
        if end is not None:
            told[name] = short_number(float(end) * size)
    return KindSource(kind="course", parameters=tuple(told.items()))


def _filled(field: Field, source: KindSource | CasesSource | WeightsSource, why: str, measuring: _Measuring) -> Field:
    of = f", of each {measuring.owner.target}" if measuring.owner is not None else ""
    guess = Guess(reason=f"{why}{of}", confidence=0.86)
    first = () if field.source is None or field.guess is None else (Candidate(source=field.source, guess=field.guess),)
    present = field.present
    if field.nullable and (present is None or (present.origin is Origin.GUESSED and present.when is None)):
        present = Present(share=_NEARLY_ALWAYS, origin=Origin.GUESSED)
    return changed(field, source=source, guess=guess, others=(*first, *field.others), present=present)
