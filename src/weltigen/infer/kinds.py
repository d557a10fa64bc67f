"""Which kind of value a field holds, guessed from its name, its type, its neighbours, its comment and its entity."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass, replace
from functools import lru_cache
from unicodedata import normalize

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
from ..model.literals import read_literal
from ..model.origins import Origin, Status
from ..model.types import INTEGER_BITS, INTEGERS, MOMENTS, NUMBERS, TEXTS
from ..values import get_kind
from .words import FIRMS, PERSONS, PLACES, VESSELS, Clue, by_word

_GUESSABLE = TEXTS | NUMBERS | MOMENTS | {TypeName.TIME, TypeName.BOOLEAN, TypeName.UUID, TypeName.INET, TypeName.MACADDR}
_TITLES = ("name", "title", "titel", "titre", "titulo", "nom", "nombre", "label", "headline", "subject")
_OTHERS = 6  # candidates that are kept beside the first
_SLUGS = ("slug", "url_slug", "permalink", "slug_name")
# the least room in which values of a kind look like themselves
_ROOM = {"tel": 13, "uuid": 36, "remark": 60, "notice": 24, "uri": 40, "label": 12, "email": 30, "username": 12, "ipv4": 15,
         "ipv6": 24, "iso-4217-currency": 3, "iban": 22, "isbn-13": 13, "ean-13": 13, "mac-address": 17, "postal-code": 5,
         "street-address": 20,
         "sha-256": 16, "mime-type": 16, "file-path": 12, "time-zone": 16}  # fmt: skip


@dataclass(frozen=True, slots=True)
class _Guessed:
    source: Source
    guess: Guess
    share: float | None = None
    secret: bool = False


def guess_kinds(world: World) -> World:
    """Every field that no source was named for gets the kind that fits best, with the reason."""
    return replace(world, entities=tuple(_guess_entity(entity) for entity in world.entities))


def _guess_entity(entity: Entity) -> Entity:
    referring = {column for relation in entity.relations for column in relation.columns}
    fields = []
    named = _named_in_checks(entity)
    for field in entity.fields:
        said = field.source or field.name in referring or field.generated or _counts_up(entity, field) or _listed(field)
        if said or field.type.name not in _GUESSABLE:
            field = changed(field, secret=True) if field.secret is None and _is_secret(entity, field) else field
            if field.source is not None and field.guess is None and field.type.name in TEXTS and field.means is None:
                first = next(_candidates(entity, field)).source
                field = changed(field, means=first.kind if isinstance(first, KindSource) else None)
            fields.append(field)
            continue
        candidates = list(_candidates(entity, field))
        if field.name.lower() in named and field.type.name in TEXTS:
            weights = tuple((value, 1.0) for value in named[field.name.lower()])
            guess = Guess(reason="the values that its checks name", confidence=0.8)
            candidates.insert(0, _Guessed(WeightsSource(weights=weights), guess))
        fields.append(_with(field, candidates))
    return changed(entity, fields=tuple(fields))


def _is_secret(entity: Entity, field: Field) -> bool:
    """Whether a field holds a secret by its name, whatever it is filled from."""
    return any(clue.secret and trust == 1 for clue, _, trust in _clues(folded(field.name), entity))


def _with(field: Field, candidates: list[_Guessed]) -> Field:
    """The field filled from the first of its candidates; the others are what that gives way to."""
    first, present = candidates[0], field.present
    if first.share is not None and field.nullable and present is None:
        present = Present(share=first.share, origin=Origin.GUESSED)
    others: dict[Source, Candidate] = {}
    for one in candidates[1:]:
        if one.source != first.source and len(others) < _OTHERS:
            others.setdefault(one.source, Candidate(source=one.source, guess=one.guess))
    return changed(
        field, source=first.source, guess=first.guess, present=present,
        secret=(first.secret or None) if field.secret is None else field.secret,
        others=tuple(others.values()),
    )  # fmt: skip


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


def _counts_up(entity: Entity, field: Field) -> bool:
    """A number that is the whole key of its entity, or that the database would number."""
    return field.type.name in INTEGERS and (entity.key == (field.name,) or field.identity or field.numbering is not None)


def _listed(field: Field) -> bool:
    return bool(field.limits.allowed or field.type.values or field.limits.patterns)


@lru_cache(maxsize=65_536)
def folded(name: str) -> str:
    """Lower case, without accents, words joined by underscores: `lastName` and `Last-Name` are `last_name`."""
    plain = normalize("NFKD", name.replace("ß", "ss")).encode("ascii", "ignore").decode()
    return re.sub(r"[^a-z0-9]+", "_", re.sub(r"(?<=[a-z0-9])(?=[A-Z])", "_", plain).lower()).strip("_")


def _kind(kind: str, reason: str, confidence: float, parameters: tuple[tuple[str, str], ...] = ()) -> _Guessed:
    return _Guessed(KindSource(kind=kind, parameters=parameters), Guess(reason=reason, confidence=confidence))


def _candidates(entity: Entity, field: Field) -> Iterator[_Guessed]:
    """What the field may be filled from, the most likely first; the last is what its type suggests."""
    name, kind_name = folded(field.name), field.type.name
    if kind_name in TEXTS:
        if name in _SLUGS:
            for neighbour in entity.fields:
                if (
                    folded(neighbour.name) in _TITLES
                    and neighbour.type.name in TEXTS
                    and (field.nullable or not neighbour.nullable)
                ):
                    yield _kind("slug", f"its name, beside {neighbour.name}", 0.95, (("of", neighbour.name),))
                    break
        if name in ("name", "nom", "nombre", "bezeichnung") and (thing := _thing_named(entity, field, name)) is not None:
            yield thing
    for clue, reason, trust in _clues(name, entity):
        if (guessed := _by_clue(clue, field, reason, trust)) is not None:
            yield guessed
    room = field.room
    if kind_name in TEXTS and (field.name,) == entity.key and (room is None or room >= 36):
        yield _kind("uuid", "a text that is the key", 0.5)
    if field.comment:
        for clue, _, trust in _clues(folded(field.comment.split(".")[0])[-60:], entity):
            if clue.kind and (guessed := _by_clue(clue, field, "its comment", trust * 0.6)) is not None:
                yield guessed
    yield _by_type(field.type, room)


def _clues(name: str, entity: Entity) -> Iterator[tuple[Clue, str, float]]:
    """Clues of the whole name, then of its end, the longest first; less sure the more of the name is left over."""
    words, known = name.split("_"), by_word()
    for start in range(len(words)):
        end = "_".join(words[start:])
        for clue in known.get(end, ()):
            if start == 0:
                yield clue, "its name", 1.0
            elif clue.end:
                own = "_".join(words[:start]) in (folded(entity.name), folded(entity.name)[:-1])
                yield clue, f"the end of its name, {end}", 1.0 if own else 0.9
    if len(words) == 1 and len(name) > 5:
        for start in range(3, len(name) - 3):  # words written together: `homecity`
            for clue in known.get(name[start:], ()):
                if clue.end and clue.kind and len(name) - start > 3:
                    yield clue, f"the end of its name, {name[start:]}", 0.75


def _by_clue(clue: Clue, field: Field, reason: str, trust: float) -> _Guessed | None:
    kind = field.type
    if kind.name not in clue.types:
        return None
    confidence = round(clue.confidence * trust, 2)
    guess = Guess(reason=reason, confidence=confidence)
    room = field.room
    if clue.weights:
        if any(not _holds(field, value, room) for value, _ in clue.weights):
            return None
        return _Guessed(WeightsSource(weights=clue.weights), guess, clue.share)
    if clue.pattern is not None:
        return _Guessed(PatternSource(pattern=clue.pattern), guess) if room is None or room >= 7 else None
    assert clue.kind is not None
    if kind.name not in get_kind(clue.kind).suits or not _fits(clue.kind, field, room):
        return None
    parameters = clue.parameters
    if clue.kind == "number":
        if field.limits.bounds or field.limits.multiple_of or not all(_in_type(kind, value) for _, value in parameters):
            return _kind("number", "its type", 0.9) if field.limits.bounds else None
        guess = Guess(reason=f"{reason}: {parameters[0][1]} to {parameters[1][1]}", confidence=confidence)
    return _Guessed(KindSource(kind=clue.kind, parameters=parameters), guess, clue.share, clue.secret)


def _holds(field: Field, value: str, room: int | None) -> bool:
    """Whether a guessed value may stand in the field at all."""
    if field.type.name in TEXTS:
        return (room is None or len(value) <= room) and len(value) >= (field.limits.min_length or 0)
    return field.type.name is TypeName.BOOLEAN


def _in_type(kind: FieldType, value: str) -> bool:
    if kind.name in INTEGERS:
        return float(value) < 1 << (INTEGER_BITS[kind.name] - 1)
    if kind.name is TypeName.NUMERIC and kind.precision is not None:
        return abs(float(value)) < 10.0 ** min(kind.precision - (kind.scale or 0), 300)
    try:
        read_literal(value, kind)
    except ValueError:
        return False
    return True


def _fits(kind: str, field: Field, room: int | None) -> bool:
    """A personal or a long kind does not go into a column too narrow for it."""
    return (room is None or room >= _ROOM.get(kind, 2)) and (field.limits.min_length or 0) <= _ROOM.get(kind, 2)


def _thing_named(entity: Entity, field: Field, word: str) -> _Guessed | None:
    """`name` is of a person, a place, a firm or a thing, by what its entity is; by its neighbours where that says nothing."""
    nouns = folded(entity.name.rpartition(".")[2]).split("_")
    room = field.room
    candidates = [nouns[-1], _singular(nouns[-1]), *nouns[-2:-1], *map(_singular, nouns[-2:-1])]
    for noun in candidates:
        for words, kind, what in ((PERSONS, "name", "a person"), (PLACES, "place-name", "a place"),
                                  (VESSELS, "vessel-name", "a vessel"), (FIRMS, "organization", "a firm")):  # fmt: skip
            if noun in words and _fits(kind, field, room):
                return _kind(kind, f"'{field.name}' of {what}, by its entity", 0.9 if noun in candidates[:2] else 0.7)
    names = {folded(f.name) for f in entity.fields}
    if names & {"birthday", "born_on", "birth_date", "date_of_birth", "gender", "vorname", "prenom", "first_name"}:
        kind = "family-name" if names & {"vorname", "prenom", "first_name"} else "name"
        return _kind(kind, f"'{field.name}' beside what persons have", 0.75)
    if names & {"lat", "latitude", "lng", "longitude"}:
        return _kind("place-name", f"'{field.name}' beside coordinates", 0.75)
    return _kind("label", f"'{field.name}' of a thing", 0.6) if _fits("label", field, room) else None


def _singular(noun: str) -> str:
    if noun.endswith("ies"):
        return noun[:-3] + "y"
    return noun[:-1] if noun.endswith("s") and not noun.endswith("ss") else noun


def _by_type(kind: FieldType, room: int | None) -> _Guessed:
    plain = {TypeName.BOOLEAN: "boolean", TypeName.UUID: "uuid", TypeName.DATE: "date", TypeName.TIME: "time",
             TypeName.TIMESTAMP: "date-time", TypeName.TIMESTAMPTZ: "date-time", TypeName.INET: "ipv4",
             TypeName.MACADDR: "mac-address"}.get(kind.name)  # fmt: skip
    if plain is not None:
        return _kind(plain, "its type", 0.9)
    if kind.name in NUMBERS:
        return _kind("number", "its type", 0.7)
    if room is not None and room < 12:
        return _kind("code", f"a text of at most {room} characters", 0.4)
    return _kind("label", "a text, and its name says no more", 0.4)
