"""Which values a field holds, guessed from its name, its type, its neighbours, its comment and its entity."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import replace

from sqlglot import exp

from ..expression import parse
from ..expression.meaning import NotEvaluableError
from ..model import (
    Candidate,
    Entity,
    Field,
    FieldType,
    Guess,
    KindSource,
    PatternSource,
    Present,
    Source,
    TypeName,
    WeightsSource,
    World,
)
from ..model.changing import changed
from ..model.origins import Origin, Status
from ..model.types import INTEGERS, MOMENTS, NUMBERS, TEXTS
from ..values import get_kind
from ..values.standards import is_known_type
from .around import Around, Guessed, around_of, counts_up, default_of, is_listed, is_so_or_then, tied_fields
from .by_concept import by_concept
from .by_head import by_head
from .by_type import by_type
from .by_unit import by_unit, rest_in_unit
from .called_by_noun import hangs_on_others, is_lookup
from .coded import codes_of_few
from .concepts import Found, matching
from .concepts.trades import trades
from .identifiers import as_identifier
from .in_seconds import in_seconds
from .json_defaults import as_by_default
from .listed import usual_of_list
from .naming import folded
from .nouns import SYSTEMS, is_tool
from .of_any_entity import entity_of_reference
from .of_row import of_kind
from .offers import by_family, by_number, of_named_kind
from .one_of_few import this_or_that, values_of_entity
from .otherwise import otherwise
from .readings import is_each, readings, reason_of
from .reference_tables import facts_of_row
from .roots import are_things
from .sizes import of_its_size
from .times_of_day import times_of_day
from .trading import is_of_systems, trades_of
from .translated import in_its_language, spoken_first, without_language
from .units import in_other_units
from .vocabularies import vocabulary_of
from .within import of_elements, texts_in_bytes

_GUESSABLE = (
    TEXTS
    | NUMBERS
    | MOMENTS
    | {
        TypeName.TIME,
        TypeName.BOOLEAN,
        TypeName.UUID,
        TypeName.INET,
        TypeName.MACADDR,
        TypeName.JSON,
        TypeName.ARRAY,
        TypeName.BYTEA,
        TypeName.BIT,
        TypeName.INTERVAL,
    }
)


_NAMES = ("given-name", "family-name", "name")  # what logins and addresses are made from, whatever fills such a field at last


_OTHERS = 6  # candidates that are kept beside the first


def guess_kinds(world: World) -> World:
    """Every field that no source was named for gets the values that fit best, with the reason."""
    vocabulary = vocabulary_of(world)
    tied, trading = tied_fields(world), trades_of(world, vocabulary)
    systems = is_of_systems(world)
    arounds = (around_of(world, entity, vocabulary, tied, trading[entity.name], systems) for entity in world.entities)
    return replace(world, entities=tuple(map(_guess_entity, arounds)))


def _guess_entity(around: Around) -> Entity:
    world, entity = around.world, around.entity
    as_texts = {
        f.name
        for f in entity.fields
        if f.type.name is TypeName.OTHER and not is_known_type(f.type) and f.type.declared is not None
    }
    referring = {column for relation in entity.relations for column in relation.columns}
    fields = []
    named = _named_in_checks(entity)
    for field in entity.fields:
        said = field.source or field.name in referring or field.generated or counts_up(entity, field) or is_listed(field)
        if field.name in as_texts and not said:  # a type that nobody knows is filled as text
            text = changed(field, type=FieldType(name=TypeName.TEXT))
            made = [one for one in candidates_for(around, text) if one.guess.confidence > 0.6]
            fields.append(_with(field, made) if made and world.guesses == "full" else field)
            continue
        if said or field.type.name not in _GUESSABLE:
            field = changed(field, secret=True) if field.secret is None and _is_secret(around, field) else field
            if field.source is not None and field.guess is None and field.type.name in TEXTS and field.means is None:
                first = next(candidates_for(around, field)).source
                field = changed(field, means=first.kind if isinstance(first, KindSource) else None)
            free = not field.source and is_listed(field) and field.guess is None and field.name not in referring
            if world.guesses == "full" and free and field.generated is None and entity.states is None:
                field = usual_of_list(around, field)
            fields.append(field)
            continue
        candidates = [one for one in as_by_default(field, candidates_for(around, field)) if _may_fill(field, one.source)]
        if not candidates:  # what its type alone suggests
            fields.append(field)
            continue
        if field.name.lower() in named and field.type.name in TEXTS:
            weights = tuple((value, 1.0) for value in named[field.name.lower()])
            guess = Guess(reason="the values that its checks name", confidence=0.8)
            candidates.insert(0, Guessed(WeightsSource(weights=weights), guess))
        if world.guesses == "plain":
            candidates = list(map(_plain, candidates))
        if field.name in without_language(entity.field_names):
            candidates = [changed(one, source=in_its_language(one.source, entity, field)) for one in candidates]
            candidates = spoken_first(candidates, entity, field)
        fields.append(
            _with(field, _all_there_are(around, field, _as_given(entity, field, candidates)), field.name.lower() in around.tied)
        )
    return changed(entity, fields=tuple(fields))


_LITTLE_MORE_THAN_A_NAME = 6  # columns
_CALLED = frozenset("name title label designation".split())


def _all_there_are(around: Around, field: Field, candidates: list[Guessed]) -> list[Guessed]:
    """The candidates, the first of which says that there are no more rows than names where an entity is little more than a list
    of names that differ: symptoms are not large and small."""
    first, entity = candidates[0], around.entity
    named = isinstance(first.source, KindSource) and first.source.kind == "thing-name"
    alone = any(rule.columns == (field.name,) for rule in (*entity.unique_rules, *entity.uniques))
    if named and not alone and is_lookup(around) and _CALLED & set(around.words[field.name][-1:]):
        assert isinstance(first.source, KindSource)
        once = replace(first.source, parameters=(*first.source.parameters, ("each", "once")))
        return [replace(first, source=once, guess=replace(first.guess, closed=True)), *candidates[1:]]
    if not named or not alone or len(entity.fields) > _LITTLE_MORE_THAN_A_NAME or hangs_on_others(entity):
        return candidates
    return [replace(first, guess=replace(first.guess, closed=True)), *candidates[1:]]


def _may_fill(field: Field, source: Source) -> bool:
    """Whether a kind fills the field's type at all: no text stands in a column of JSON."""
    kind = field.type.name
    return not isinstance(source, KindSource) or kind is TypeName.ARRAY or get_kind(source.kind).fills(kind)


def _as_given(entity: Entity, field: Field, candidates: list[Guessed]) -> list[Guessed]:
    """Without patterns that a fixed row's value does not match: what is declared counts."""
    given = [text for row in entity.fixed for name, text in row if name == field.name and text is not None]
    if not given:
        return candidates
    return [
        one for one in candidates
        if not isinstance(one.source, PatternSource) or all(re.fullmatch(one.source.pattern, text) for text in given)
    ] or candidates  # fmt: skip


def _is_secret(around: Around, field: Field) -> bool:
    """Whether a field holds a secret, by its name or by what it is said to be filled from."""
    if isinstance(field.source, KindSource) and field.source.kind == "password":
        return True
    return any(found.concept.secret and found.whole for found in matching(around.words[field.name]))


def _plain(one: Guessed) -> Guessed:
    """A guess without a shape: by name and type alone."""
    if not isinstance(one.source, KindSource):
        return one
    kind = "date-time" if one.source.kind == "moment" else one.source.kind
    parameters = tuple(pair for pair in one.source.parameters if pair[0] not in ("shape", "when"))
    return replace(one, source=KindSource(kind=kind, parameters=parameters))


def _with(field: Field, candidates: list[Guessed], tied: bool = False) -> Field:
    """The field filled from the first of its candidates; the others are what that gives way to. `tied`: rules of other fields
    speak of it, which may need it to be missing."""
    first, present = candidates[0], field.present
    source = first.source
    if first.share is not None and field.nullable and present is None and not (tied and first.share == 1):
        present = Present(share=first.share, origin=Origin.GUESSED)
    others: dict[Source, Candidate] = {}
    for one in candidates[1:]:
        if one.source != first.source and len(others) < _OTHERS:
            others.setdefault(one.source, Candidate(source=one.source, guess=one.guess))
    return changed(
        field,
        source=source,
        guess=first.guess,
        present=present,
        secret=(first.secret or None) if field.secret is None else field.secret,
        others=tuple(others.values()),
        means=field.means
        or (
            source.kind
            if isinstance(source, KindSource) and source.kind in _NAMES and "row" not in dict(source.parameters)
            else None
        ),
    )


def _named_in_checks(entity: Entity) -> dict[str, tuple[str, ...]]:
    """Texts that checks left as expressions compare a field with: a field that may be anything is best one of these."""
    named: dict[str, list[str]] = {}
    for check in entity.checks:
        if check.status is not Status.OPEN:
            continue
        try:
            tree = parse(check.expression, check.dialect).tree
        except NotEvaluableError:
            continue
        for node in tree.find_all(exp.EQ, exp.In):
            values = node.expressions if isinstance(node, exp.In) else [node.expression]
            left = node.this.this if isinstance(node.this, exp.Cast) else node.this
            if isinstance(left, exp.Column) and all(isinstance(v, exp.Literal) and v.is_string and v.this for v in values):
                named.setdefault(left.name.lower(), []).extend(v.this for v in values)
    return {name: tuple(dict.fromkeys(values)) for name, values in named.items()}


def candidates_for(around: Around, field: Field) -> Iterator[Guessed]:
    """What the field may be filled from, the most likely first; the last is what its type suggests."""
    found = [*as_identifier(around, field), *_of_family(field), *in_seconds(around, field), *_of_scores(around, field)]
    found += (*in_other_units(around, field), *of_its_size(around, field), *by_unit(around, field), *rest_in_unit(around, field))
    found += by_head(around, field)
    if field.type.name in TEXTS:
        found += times_of_day(around, field)
        found += facts_of_row(around, field)
        found += (*values_of_entity(around, field), *this_or_that(around, field))
        found += entity_of_reference(around, field)
        found += codes_of_few(around, field, _guessed)
    found += _guessed(around, field)
    alone = any(rule.columns == (field.name,) for rule in (*around.entity.unique_rules, *around.entity.uniques))
    if field.type.name is TypeName.BYTEA:
        found += texts_in_bytes(around, field, _guessed)
    if field.type.name in (TypeName.ARRAY, TypeName.JSON):
        found += of_elements(around, field, _guessed)
    if field.type.name in TEXTS and all(one.guess.confidence < 0.5 for one in found):
        found += otherwise(around, field, _guessed)
    found = [_beside_default(field, one) for one in found]
    if alone:
        found += list(_with_numbers(found))
    others = any(not isinstance(one.source, WeightsSource) and one.guess.confidence >= 0.5 for one in found)
    found.sort(  # a few tell no rows apart
        key=lambda one: (
            alone and others and isinstance(one.source, WeightsSource) and not one.guess.closed,
            -one.guess.confidence,
        )
    )
    room = field.room
    keyed = field.type.name in TEXTS and (field.name,) == around.entity.key and (room is None or room >= 36)
    if keyed and folded(field.name) == "id" and not any(one.guess.confidence > 0.5 for one in found):
        yield of_named_kind("uuid", "a text that is the key", 0.6)
    yield from [one for one in found if one.guess.confidence >= 0.4][:_OTHERS]
    ruled = any(field.name in rule.columns for rule in (*around.entity.unique_rules, *around.entity.uniques))
    if ruled and any(isinstance(one.source, KindSource) and one.source.kind == "name" for one in found):
        login = of_kind(around, field, "username", {}, "a name that differs in each row", 0.6)
        yield from () if login is None else (login,)
    if keyed:
        yield of_named_kind("uuid", "a text that is the key", 0.5)
    yield from by_type(around, field)
    yield from [one for one in found if one.guess.confidence < 0.4][:_OTHERS]


def _with_numbers(found: list[Guessed]) -> Iterator[Guessed]:
    """What is made from a text that may repeat, with the row's number behind it: `harbour-light-17`."""
    for one in found:
        source = one.source
        if isinstance(source, KindSource) and source.kind == "slug" and "of" in dict(source.parameters):
            made = replace(source, parameters=(*source.parameters, ("numbered", "yes")))
            guess = Guess(reason=f"{one.guess.reason}, with a number", confidence=round(one.guess.confidence - 0.01, 2))
            yield replace(one, source=made, guess=guess)


def _beside_default(field: Field, one: Guessed) -> Guessed:
    """A guess that is less sure where the declared default is not of its form."""
    default = default_of(field)
    if not default or field.type.name not in TEXTS:
        return one
    kind = one.source.kind if isinstance(one.source, KindSource) else ""
    values = [value for value, _ in one.source.weights if value != default] if isinstance(one.source, WeightsSource) else []
    if values and default.isdigit() and not any(map(str.isdigit, values)):  # a number stands for a word
        return replace(one, guess=replace(one.guess, confidence=min(one.guess.confidence, 0.39)))
    plain = (kind in _OF_A_FORM and default.isalpha()) or (kind == "colour-name" and not default.isalpha())
    if not plain and (not isinstance(one.source, PatternSource) or re.fullmatch(one.source.pattern, default)):
        return one
    return replace(one, guess=replace(one.guess, confidence=min(one.guess.confidence, 0.39)))


_OF_A_FORM = frozenset("iso-time email uri ipv4 ipv6 tel uuid sha-256 mac-address iban".split())  # no word is one of these


def _of_family(field: Field) -> Iterator[Guessed]:
    """A text whose default is known to stand beside others."""
    default = default_of(field)
    if field.type.name in TEXTS and default and (family := by_family(field, default, "a choice", 0.8)) is not None:
        yield family


_SCORING = frozenset("score scoring rating evaluation judging scorecard tasting cupping marking".split())


def _of_scores(around: Around, field: Field) -> Iterator[Guessed]:
    """What a judge gives for one side of a thing, out of ten; and what all of them come to."""
    kind = field.type
    if kind.name is not TypeName.NUMERIC or not _SCORING & set(around.noun[-1:]) or kind.precision is None:
        return
    if kind.precision <= 3 and kind.scale == 1:
        made = by_number(field, "5.5 9.6 hump", "a score out of ten", 0.93)
    else:
        made = by_number(field, "58 96 hump", "all scores", 0.93) if around.words[field.name][:1] == ("total",) else None
    yield from () if made is None else (made,)


_LASTING = (("seconds",), ("minutes",), ("hours",), ("days",))


def _is_so(around: Around, field: Field, found: Found) -> bool:
    """Whether a number tells rather that something is so than when, since no other number of the row tells of a moment."""
    alone = not around.in_seconds and field.type.name in INTEGERS
    if field.type.name in INTEGERS and around.words[field.name][-1:] in _LASTING and found.concept.arguments.startswith("epoch"):
        return True  # so many seconds
    return alone and found.concept.arguments.startswith("epoch") and is_so_or_then(around.words[field.name])


def _begins_with_owner(around: Around, field: Field, found: Found, words: tuple[str, ...]) -> bool:
    """Whether what a name is said to begin with is the entity's noun: the reading of a meter's use is no flag of use."""
    return not found.whole and words == (around.head, *around.words[field.name]) and found.words == words[: len(found.words)]


_OF_DAILY_LIFE = frozenset("everyday choices professions trades".split())


def _less_sure(around: Around, field: Field, found: Found, trust: float) -> float:
    """Trust in what daily life calls an entity's noun, in a model about computers: a run is no slope there."""
    own = around.words[field.name]
    if found.concept.subject == "of_any_trade" and (around.of_systems or around.topic.within(*SYSTEMS)):
        return trust * 0.5  # a filter is none of paper there
    by_noun = found.concept.subject in _OF_DAILY_LIFE and found.words[:1] != own[:1] and found.words[:1] == (around.head,)
    return trust * 0.8 if around.of_systems and by_noun else trust


def _guessed(around: Around, field: Field) -> Iterator[Guessed]:
    """What concepts say of it, the surest first; no more than are kept."""
    kind = field.type
    fitting = kind.name in NUMBERS - INTEGERS  # what is told of whole numbers may fit decimals as well
    every = [
        (found.confidence * sure, number, found, words, sure, how)
        for number, (words, trust, how) in enumerate(readings(around, field))
        for found in (*matching(words), *(f for name, sure in around.trades for f in trades()[name].matching(words, sure)))
        if (kind.name in found.concept.types or (fitting and TypeName.INTEGER in found.concept.types))
        and not _begins_with_owner(around, field, found, words)
        and not _is_so(around, field, found)
        and not is_each(found, words)
        and not (kind.name in TEXTS and found.words == words[-1:] and are_things(words))
        and not (around.of_systems and is_tool(found.words[0]) and found.words[1:] == ("name",))  # who handles is nobody
        for sure in (_less_sure(around, field, found, trust),)
    ]
    for name, sure in around.trades:
        every += [(f.confidence, -1, f, f.words, 1.0, "") for f in trades()[name].as_written(folded(field.name), sure)]
    told = [one for one in every if kind.name in one[2].concept.types]
    own = around.words[field.name]
    how_many = own[-1:] == ("count",) or (own[:1] == ("number",) and len(own) > 1)
    broken = kind.name in NUMBERS - INTEGERS  # decimals of which no digits are said hold whole numbers, and so does what counts
    if not told and ((kind.name is TypeName.NUMERIC and not kind.scale) or (broken and how_many)):
        told = [one for one in every if TypeName.INTEGER in one[2].concept.types and one[2].concept.what in ("num", "words")]
    told.sort(key=lambda one: (-one[0], one[1]))
    made = 0
    for _, _, found, words, trust, how in told:
        if made > _OTHERS:
            return
        reason = how or reason_of(found, words)
        for one in by_concept(around, field, found, reason):
            made += 1
            yield (
                one if trust == 1 else changed(one, guess=replace(one.guess, confidence=round(one.guess.confidence * trust, 2)))
            )
