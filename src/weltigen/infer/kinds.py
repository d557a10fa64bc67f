"""Which values a field holds, guessed from its name, its type, its neighbours, its comment and its entity."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass, replace

from sqlglot import exp

from ..expression import parse
from ..expression.meaning import NotEvaluableError
from ..model import (
    Candidate,
    ComputeSource,
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
from ..values.vocabulary import by_noun, topic
from .codes import code_pattern
from .concepts import Concept, Found, matching
from .naming import Vocabulary, folded, singular
from .nouns import ANIMALS, LISTS, MESSAGES, PERSONS, what_is
from .states import status_weights
from .topics import VAGUE, vocabulary_of

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
    }
)
_NAMES = ("given-name", "family-name", "name")  # what logins and addresses are made from, whatever fills such a field at last
_TITLES = ("name", "title", "label", "headline", "subject")
_OTHERS = 6  # candidates that are kept beside the first
# the least room in which values of a kind look like themselves
_ROOM = {
    "tel": 13,
    "uuid": 36,
    "uri": 24,
    "email": 30,
    "username": 12,
    "ipv4": 15,
    "ipv6": 24,
    "iso-4217-currency": 3,
    "iban": 22,
    "isbn-13": 13,
    "ean-13": 13,
    "mac-address": 17,
    "postal-code": 5,
    "street-address": 16,
    "sha-256": 16,
    "mime-type": 16,
    "file-path": 12,
    "time-zone": 16,
    "thing-name": 4,
    "term": 4,
    "host-name": 6,
    "file-name": 10,
    "town": 8,
    "organization": 10,
}


@dataclass(frozen=True, slots=True)
class _Guessed:
    source: Source
    guess: Guess
    share: float | None = None
    secret: bool = False


@dataclass(frozen=True, slots=True)
class _Around:
    """What stands around a field: its entity with the words of its name, and the words of every field."""

    world: World
    entity: Entity
    vocabulary: Vocabulary
    noun: tuple[str, ...]
    words: dict[str, tuple[str, ...]]
    ends: frozenset[str]  # of the fields' names, of one word and of two
    tied: frozenset[str]  # names of fields that rules of other fields speak of

    @property
    def head(self) -> str:
        return self.noun[-1] if self.noun else ""

    def has(self, *names: str) -> bool:
        """Whether a field's words end in one of these names."""
        return not self.ends.isdisjoint(names)


def guess_kinds(world: World) -> World:
    """Every field that no source was named for gets the values that fit best, with the reason."""
    vocabulary = vocabulary_of(world)
    tied = _tied(world)
    return replace(world, entities=tuple(_guess_entity(world, entity, vocabulary, tied) for entity in world.entities))


def _tied(world: World) -> dict[str, frozenset[str]]:
    """By entity, the names of fields that its checks name, that bound another field of it, or that a path leads to."""
    reached: set[str] = set()
    own: dict[str, set[str]] = {}
    for entity in world.entities:
        names = own[entity.name] = set()
        texts = [check.expression for check in entity.checks]
        texts += [rule.where for rule in entity.uniques if rule.where is not None]
        for field in entity.fields:
            operands = [bound.operand.lower() for bound in field.limits.bounds if bound.path]
            names.update(operand for operand in operands if "." not in operand)
            reached.update(operand.rpartition(".")[2] for operand in operands if "." in operand)
            texts += [field.present.when] if field.present is not None and field.present.when is not None else []
            texts += [field.source.expression] if isinstance(field.source, ComputeSource) else []
        for text in texts:
            names.update(re.findall(r"[a-z_][a-z0-9_]*", text.lower()))
            reached.update(re.findall(r"\.([a-z_][a-z0-9_]*)", text.lower()))
    return {name: frozenset(names | reached) for name, names in own.items()}


def _around(world: World, entity: Entity, vocabulary: Vocabulary, tied: dict[str, frozenset[str]]) -> _Around:
    noun = tuple(singular(word) for word in vocabulary.words(entity.name.rpartition(".")[2]))
    words = {field.name: _own_words(vocabulary.words(field.name), noun) for field in entity.fields}
    ends = frozenset(" ".join(of[-length:]) for of in words.values() for length in (1, 2))
    return _Around(world, entity, vocabulary, noun, words, ends, tied[entity.name])


def _own_words(words: tuple[str, ...], noun: tuple[str, ...]) -> tuple[str, ...]:
    """A field's words without those of its table that it begins with: `usr_nm` of a table of users is a name."""
    for length in range(min(len(noun), len(words) - 1), 0, -1):
        if tuple(singular(word) for word in words[:length]) == noun[-length:]:
            return words[length:]
    return words


def _guess_entity(world: World, entity: Entity, vocabulary: Vocabulary, tied: dict[str, frozenset[str]]) -> Entity:
    around = _around(world, entity, vocabulary, tied)
    referring = {column for relation in entity.relations for column in relation.columns}
    fields = []
    named = _named_in_checks(entity)
    for field in entity.fields:
        said = field.source or field.name in referring or field.generated or _counts_up(entity, field) or _listed(field)
        if said or field.type.name not in _GUESSABLE:
            field = changed(field, secret=True) if field.secret is None and _is_secret(around, field) else field
            if field.source is not None and field.guess is None and field.type.name in TEXTS and field.means is None:
                first = next(_candidates(around, field)).source
                field = changed(field, means=first.kind if isinstance(first, KindSource) else None)
            free = not field.source and _listed(field) and field.guess is None and field.name not in referring
            if world.guesses == "full" and free and field.generated is None and entity.states is None:
                field = _usual_of_list(around, field)
            fields.append(field)
            continue
        candidates = list(_candidates(around, field))
        if not candidates:  # what its type alone suggests
            fields.append(field)
            continue
        if field.name.lower() in named and field.type.name in TEXTS:
            weights = tuple((value, 1.0) for value in named[field.name.lower()])
            guess = Guess(reason="the values that its checks name", confidence=0.8)
            candidates.insert(0, _Guessed(WeightsSource(weights=weights), guess))
        if world.guesses == "plain":
            candidates = list(map(_plain, candidates))
        fields.append(_with(field, _as_given(entity, field, candidates)))
    return changed(entity, fields=tuple(fields))


_FLAGS = (
    {"y", "n"},
    {"yes", "no"},
    {"t", "f"},
    {"true", "false"},
    {"on", "off"},
    {"0", "1"},
    {"j", "n"},
    {"enabled", "disabled"},
)
_RARE = re.compile(
    "cancel|fail|reject|delet|error|dead|lost|void|abort|expired|archiv|block|banned|suspend|refund|dispute|critical|unknown|storn|annul",
    re.I,
)


def _usual_of_list(around: _Around, field: Field) -> Field:
    """A field whose values are listed, with some more usual than others: the default, what comes first, what does not fail."""
    values = list(field.limits.allowed[0].values if field.limits.allowed else field.type.values)
    keyed = _keyed(around.entity, field) or field.name in {name for owner in around.entity.key for name in (owner,)}
    if (
        len(values) < 2
        or len(values) > 40
        or keyed
        or field.limits.patterns
        or field.limits.bounds
        or len(field.limits.allowed) > 1
    ):
        return field
    if (
        field.name.lower() in around.tied
        or field.type.name not in TEXTS | INTEGERS | {TypeName.ENUM}
        or field.follows is not None
    ):
        return field
    default = default_of(field)
    if {value.lower() for value in values} in _FLAGS:
        found = next(
            (one for words, _, _ in _readings(around, field) for one in matching(words) if one.concept.what == "flag"), None
        )
        share = float(found.concept.arguments) if found is not None else 0.4
        yes = next(value for value in values if value.lower() in ("y", "yes", "t", "true", "on", "1", "j", "enabled"))
        if default is not None:
            share = max(share, 0.8) if default == yes else min(share, 0.4)
        weights = [(value, 100.0 * (share if value == yes else 1 - share)) for value in values]
        reason = "a flag, by its values"
    else:
        weights = [(value, max(2.0, 12.0 - 2 * at) * (0.4 if _RARE.search(value) else 1.0)) for at, value in enumerate(values)]
        if default in values:
            total = sum(weight for value, weight in weights if value != default)
            weights = [(value, 1.4 * total if value == default else weight) for value, weight in weights]
        reason = "the values that it may have, the usual ones more often"
    guess = Guess(reason=reason, confidence=0.7)
    return changed(
        field, source=WeightsSource(weights=tuple((value, round(weight, 2)) for value, weight in weights)), guess=guess
    )


def _as_given(entity: Entity, field: Field, candidates: list[_Guessed]) -> list[_Guessed]:
    """Without patterns that a fixed row's value does not match: what is declared counts."""
    given = [text for row in entity.fixed for name, text in row if name == field.name and text is not None]
    if not given:
        return candidates
    return [
        one for one in candidates
        if not isinstance(one.source, PatternSource) or all(re.fullmatch(one.source.pattern, text) for text in given)
    ] or candidates  # fmt: skip


def _is_secret(around: _Around, field: Field) -> bool:
    """Whether a field holds a secret by its name, whatever it is filled from."""
    return any(found.concept.secret and found.whole for found in matching(around.words[field.name]))


def _plain(one: _Guessed) -> _Guessed:
    """A guess without a shape: by name and type alone."""
    if not isinstance(one.source, KindSource):
        return one
    kind = "date-time" if one.source.kind == "moment" else one.source.kind
    parameters = tuple(pair for pair in one.source.parameters if pair[0] not in ("shape", "when"))
    return replace(one, source=KindSource(kind=kind, parameters=parameters))


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
        field,
        source=first.source,
        guess=first.guess,
        present=present,
        secret=(first.secret or None) if field.secret is None else field.secret,
        others=tuple(others.values()),
        means=field.means
        or (first.source.kind if isinstance(first.source, KindSource) and first.source.kind in _NAMES else None),
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


def _counts_up(entity: Entity, field: Field) -> bool:
    """A number that is the whole key of its entity, or that the database would number."""
    return field.type.name in INTEGERS and (entity.key == (field.name,) or field.identity or field.numbering is not None)


def _listed(field: Field) -> bool:
    return bool(field.limits.allowed or field.type.values or field.limits.patterns)


def _kind(kind: str, reason: str, confidence: float, **parameters: str) -> _Guessed:
    return _Guessed(
        KindSource(kind=kind, parameters=tuple(parameters.items())), Guess(reason=reason, confidence=round(confidence, 2))
    )


def _weights(pairs: tuple[tuple[str, float], ...], reason: str, confidence: float) -> _Guessed:
    return _Guessed(WeightsSource(weights=pairs), Guess(reason=reason, confidence=round(confidence, 2)))


def _candidates(around: _Around, field: Field) -> Iterator[_Guessed]:
    """What the field may be filled from, the most likely first; the last is what its type suggests."""
    found = list(_guessed(around, field))
    found.sort(key=lambda one: -one.guess.confidence)
    yield from found[:_OTHERS]
    room = field.room
    if field.type.name in TEXTS and (field.name,) == around.entity.key and (room is None or room >= 36):
        yield _kind("uuid", "a text that is the key", 0.5)
    yield from _by_type(around, field)


def _guessed(around: _Around, field: Field) -> Iterator[_Guessed]:
    """What concepts say of it, the surest first; no more than are kept."""
    told = [
        (found.confidence * trust, number, found, words, trust, how)
        for number, (words, trust, how) in enumerate(_readings(around, field))
        for found in matching(words)
        if field.type.name in found.concept.types
    ]
    told.sort(key=lambda one: (-one[0], one[1]))
    made = 0
    for _, _, found, words, trust, how in told:
        if made > _OTHERS:
            return
        reason = how or _reason(found, words)
        for one in _by_concept(around, field, found, reason):
            made += 1
            yield (
                one
                if trust == 1
                else replace(one, guess=Guess(reason=one.guess.reason, confidence=round(one.guess.confidence * trust, 2)))
            )


def _reason(found: Found, words: tuple[str, ...]) -> str:
    end = " ".join(found.words)
    if found.whole:
        return "its name"
    return f"the end of its name, {end}" if words[-1] == found.words[-1] else f"its name begins with {end}"


def _readings(around: _Around, field: Field) -> Iterator[tuple[tuple[str, ...], float, str]]:
    """The words of a field's name, and in what other order they may be read; then those of its comment."""
    words = around.words[field.name]
    if not words:
        return
    whole = around.vocabulary.words(field.name)
    if whole != words:
        yield whole, 1.01, ""
    elif around.head and (around.head, *words) != ("user", "name"):
        yield (around.head, *words), 0.99 if len(words) == 1 else 1.0, ""
    yield words, 1.0, ""
    if (
        len(words) > 2
        and words[-1] in ("vat", "tax")
        and words[-2] in ("ex", "excl", "excluding", "incl", "including", "without", "with", "net")
    ):
        yield words[:-2], 1.05, ""
    if len(words) > 1 and words[-1] in _MEASURES:
        yield words[:-1], 0.96, ""
    if words[-1].isdigit() and len(words) > 1:
        yield words[:-1], 0.97, ""
    if len(words) > 1 and words[-1] in _UNITS:
        yield (*words[:-1], _UNITS[words[-1]]), 1.0, ""
    if len(words) == 2:
        yield (words[1], words[0]), 0.93, ""
    few = tuple(word for word in words if word not in ("de", "du", "des", "la", "le", "del", "d", "l", "of"))
    if 1 < len(few) < 4 and (
        around.vocabulary.language in ("fr", "es", "it", "pt")
        or few[0] in ("date", "number", "name", "time", "code", "total", "max", "min")
    ):
        yield tuple(reversed(few)), 0.99, ""
        if len(few) == 3:
            yield (few[1], few[2], few[0]), 0.97, ""
    if field.comment:
        comment = around.vocabulary.words(field.comment.split(".")[0][:60])
        yield tuple(word for word in comment if word not in ("the", "a", "of", "in", "for"))[-4:], 0.6, "its comment"


_UNITS = {
    "s": "seconds",
    "h": "hours",
    "l": "litres",
    "c": "celsius",
    "v": "volts",
    "w": "watts",
    "g": "grams",
    "m": "metres",
    "k": "kelvin",
}
_MEASURES = frozenset("minimum maximum average mean from to low high lower upper peak old new previous current target".split())


def _by_concept(around: _Around, field: Field, found: Found, reason: str) -> Iterator[_Guessed]:
    concept = found.concept
    if field.type.name is TypeName.ARRAY and field.type.element is not None and field.type.element.name not in TEXTS:
        return
    if concept.room is not None and (field.room is None or field.room > concept.room):
        return
    sure = found.confidence
    made: _Guessed | None
    match concept.what:
        case "flag":
            made = _flag(around, field, float(concept.arguments), found, reason)
        case "kind":
            name, *pairs = concept.arguments.split(" ")
            made = _of_kind(around, field, name, dict(pair.split("=") for pair in pairs), reason, sure)
        case "num":
            ranked = field.follows is not None or any(f.follows and f.follows.field == field.name for f in around.entity.fields)
            arguments = " ".join(concept.arguments.split()[:2]) if ranked else concept.arguments  # ties would hide the ranks
            made = _number(field, arguments, reason, sure)
        case "words":
            made = _words(field, _pairs(concept.arguments), reason, sure)
        case "pattern":
            made = _pattern(field, concept.arguments, reason, sure)
        case "code":
            if concept.arguments == "room" and not _keyed(around.entity, field):
                listed = (
                    ("A1.04", "A1.12", "A2.07", "B0.01", "B1.15", "B2.03", "C0.11", "C1.02", "C2.20", "D1.09")
                    if _has_room(field, 5)
                    else ("101", "102", "110", "204", "212", "305")
                )
                made = _words(field, tuple((one, float(10 - at)) for at, one in enumerate(listed)), reason, sure)
                if made is not None:
                    yield made
                return
            pattern = code_pattern(concept.arguments, around.vocabulary.words(field.name), around.noun, field.room)
            made = _pattern(field, pattern, reason, sure * 0.98)
        case "text":
            purpose = concept.arguments
            if purpose in ("remark", "message", "description") and around.has("rating", "stars", "score"):
                purpose = "review"
            made = _kind("text", reason, sure, purpose=purpose) if field.room is None or field.room >= 8 else None
        case "json":
            made = _structured(field, concept.arguments, reason, sure)
        case "of":
            made = (
                _kind("term", reason, sure, list=concept.arguments)
                if field.type.name is TypeName.ARRAY or _has_room(field, 3)
                else None
            )
        case _:
            made = _in_context(around, field, concept, reason, sure)
    if made is not None:
        yield replace(made, share=concept.there, secret=concept.secret or made.secret)


def _in_context(around: _Around, field: Field, concept: Concept, reason: str, sure: float) -> _Guessed | None:
    """What depends on the entity, or on what stands beside the field."""
    own = topic(around.entity.topic or "office")
    narrow = field.type.precision is not None and field.type.precision - (field.type.scale or 0) <= 1
    match concept.what:
        case "status":
            return _words(field, status_weights(around.noun, own.name, around.words, around.vocabulary.language), reason, sure)
        case "kindof":
            listed = own.words("kinds")
            if around.vocabulary.language != "en":
                listed = _KINDS_ELSEWHERE.get(around.vocabulary.language, listed)
            fitting = [one for one in listed if _has_room(field, len(one))]
            return (
                _words(field, tuple((one, float(max(2, 20 - 4 * at))) for at, one in enumerate(fitting)), reason, sure)
                if fitting
                else None
            )
        case "unit":
            listed = tuple(one for one in own.words("units") if _has_room(field, len(one)))
            return (
                _words(field, tuple((one, float(max(1, 9 - 3 * at))) for at, one in enumerate(listed)), reason, sure)
                if listed
                else None
            )
        case "taxrate":
            return _words(
                field,
                tuple(
                    (f"0.{rate.zfill(4).replace('.', '')[:4].rstrip('0') or '0'}" if narrow else rate, weight)
                    for rate, weight in _RATES.get(around.vocabulary.language, _RATES["en"])
                ),
                reason,
                sure,
            )
        case "price":
            if (field.type.scale or 0) > 3 and field.type.name is TypeName.NUMERIC:
                return _number(field, "0.04 2.4 tail", reason, sure)
            return _number(field, _PRICES.get(own.name, "2 400 price"), reason, sure)
        case "sex":
            short = field.room is not None and field.room < 6
            letters = {"fr": "F:49 M:49", "es": "F:49 M:49", "de": "w:49 m:48 d:3"}.get(around.vocabulary.language, "F:50 M:49")
            words = {"de": "weiblich:49 männlich:48 divers:3", "fr": "femme:50 homme:50", "es": "mujer:50 hombre:50"}
            told = letters if short else words.get(around.vocabulary.language, "female:49 male:48 diverse:3")
            if around.has("first name", "given name", "full name") and around.head not in ANIMALS:
                return _kind("gender", reason, sure, **({"form": "letter"} if short else {}))
            if own.name in ("animals", "veterinary") and not short:
                told = "female:50 male:50"
            return _words(field, tuple((v, float(w)) for v, w in (pair.split(":") for pair in told.split())), reason, sure)
        case "weight":
            human = around.head in PERSONS or around.has("last name", "blood type", "height cm")
            return _number(field, "48 104 hump" if human and around.head not in ANIMALS else "0.4 85 tail", reason, sure)
        case "salutation":
            if around.has("first name", "given name", "full name", "last name"):
                return _kind("salutation", reason, sure)
            told = {"de": "Frau:49 Herr:49 Divers:2", "fr": "Mme:50 M.:50", "es": "Sra.:50 Sr.:50"}.get(
                around.vocabulary.language, "Ms:48 Mr:48 Dr:4"
            )
            return _words(field, tuple((v, float(w)) for v, w in (pair.split(":") for pair in told.split())), reason, sure)
        case "birth":
            young = around.head in ANIMALS or (
                own.name in ("animals", "veterinary") and around.head not in PERSONS and not around.has("last name", "first name")
            )
            ages = (
                {"youngest": "0", "oldest": "14"}
                if young
                else {"youngest": "18", "oldest": "30"}
                if around.head in ("student", "pupil")
                else {}
            )
            return _kind("bday", reason, sure, **ages)
        case "language":
            if own.name in ("software", "jobs"):
                return _words(
                    field, _pairs("Python:24, TypeScript:20, Java:16, Go:14, C#:10, Rust:6, PHP:6, Ruby:4"), reason, sure
                )
            if own.name in ("library", "courses", "academia", "art", "files") and _has_room(field, 10) and field.room is not None:
                return _words(
                    field, _pairs("English:50, German:14, French:12, Spanish:11, Italian:5, Dutch:4, Polish:4"), reason, sure
                )
            return _tag_of_language(around, field, reason, sure)
        case "model":
            if own.name == "vehicles" and _has_room(field, 10):
                return _kind("thing-name", reason, sure)
            return _pattern(field, code_pattern("model", (), around.noun, field.room), reason, sure)
        case "method":
            if own.name in ("network", "web", "software", "accounts") or around.has("status code", "url", "path", "user agent"):
                return _words(field, _pairs("GET:64, POST:24, PUT:6, DELETE:4, PATCH:2"), reason, sure)
            return _kind("term", reason, sure, list="methods")
        case "path":
            web = (
                own.name == "web"
                or around.has("method", "status code", "user agent", "referer", "http status")
                or around.head in ("page", "route", "menu")
            )
            return _of_kind(around, field, "url-path" if web else "file-path", {}, reason, sure)
        case "percent":
            return _number(field, "0 1 hump" if narrow else "0 100 hump", reason, sure)
        case "temperature":
            usual = {
                "medicine": "36 39.5 hump",
                "veterinary": "37.4 40.2 hump",
                "animals": "37.4 40.2 hump",
                "laboratory": "2 38 hump",
                "network": "22 68 hump",
                "machines": "18 85 hump",
                "energy": "5 75 hump",
            }.get(own.name, "-6 32 hump")
            return _number(field, usual, reason, sure)
        case "rank":
            return _number(field, "1 20 tail", reason, sure)
        case "eventtype":
            return _kind("term", reason, sure, list="events") if _has_room(field, 14) else None
        case "othertable":
            others = [other.name.rpartition(".")[2] for other in around.world.entities if other.name != around.entity.name][:6]
            return (
                _words(field, tuple((name, 1.0) for name in others if _has_room(field, len(name))), reason, sure)
                if others
                else None
            )
        case "tagwords":
            return _kind("term", reason, sure, list="tags") if _has_room(field, 8) else None
        case "abbreviated":
            beside = _beside(around, field, _TITLES)
            if beside is not None and not _keyed(around.entity, field):
                return _kind("abbreviation", f"{reason}, beside {beside}", sure, of=beside)
            return _pattern(field, "[A-Z]{3}" if field.room is None or field.room >= 3 else "[A-Z]{2}", reason, sure)
        case "slugged":
            beside = _beside(around, field, _TITLES)
            if beside is not None:
                return _kind("slug", f"{reason}, beside {beside}", sure + 0.1, of=beside)
            return _kind("setting-key", reason, sure * 0.9)
        case "titled":
            if around.vocabulary.language != "en" and _has_room(field, 30):
                return _kind("text", reason, sure, purpose="title")
            if around.head in PERSONS or around.has("first name", "last name"):
                if field.room is None or field.room > 24:
                    return _of_kind(around, field, "job-title", {}, reason, sure)
                return _words(field, _pairs("Dr:58, Prof. Dr:12, Prof:10, Mr:10, Ms:10"), reason, sure)
            if around.head in MESSAGES:
                return _kind("text", f"{reason}, of a {around.head}", sure, purpose="title") if _has_room(field, 12) else None
            chosen = "titles" if own.has("titles") and own.name != "office" else "names"
            return _kind("thing-name", f"{reason}, of a thing", sure, list=chosen) if _has_room(field, 4) else None
        case "named":
            return _named(around, field, reason, sure)
        case "displayed":
            if what_is(around.head) == "person" or around.has("email", "login", "username", "last name", "password"):
                return _of_kind(around, field, "name", {}, reason, sure)
            return _named(around, field, reason, sure)
        case "zoned":
            if (
                own.name in ("network", "web")
                or around.head in ("dns", "record", "zone", "domain")
                or around.has("ttl", "nameserver")
            ):
                return _of_kind(around, field, "domain-name", {}, reason, sure)
            return None
        case "addressed":
            network = own.name in ("network", "devices") or around.head in ("host", "server", "node", "interface", "peer")
            if network and not around.has("city", "postcode", "street", "country"):
                return _of_kind(around, field, "ipv4", {}, reason, sure)
            return _of_kind(around, field, "street-address", {}, reason, sure)
    raise AssertionError(concept.what)


_PRICES = {
    "food": "2.5 24 price",
    "drinks": "2 30 price",
    "clothes": "9 160 price",
    "furniture": "35 900 price",
    "tools": "6 700 price",
    "medicine": "5 240 price",
    "pharmacy": "2 90 price",
    "vehicles": "2500 48000 round",
    "property": "60000 640000 round",
    "hotels": "55 260 price",
    "software": "5 400 price",
    "music": "40 4200 price",
    "veterinary": "15 380 price",
    "events": "8 120 price",
    "courses": "40 900 price",
    "energy": "5 160 price",
    "art": "60 9000 round",
    "devices": "40 2200 price",
    "construction": "80 9000 round",
    "library": "4 80 price",
}
_RATES = {
    "en": (("20", 72.0), ("5", 22.0), ("12.5", 6.0)),
    "de": (("19", 76.0), ("7", 24.0)),
    "fr": (("20", 68.0), ("10", 16.0), ("5.5", 16.0)),
    "es": (("21", 72.0), ("10", 20.0), ("4", 8.0)),
}
_KINDS_ELSEWHERE = {
    "de": ("Standard", "Gewerbe", "Privat", "Sonstige"),
    "fr": ("standard", "individuel", "collectif", "autre"),
    "es": ("estándar", "particular", "empresa", "otro"),
}


def _named(around: _Around, field: Field, reason: str, sure: float) -> _Guessed | None:
    """`name` is of a person, a place, a firm, an animal or a thing: by its entity, else by its neighbours."""
    head, before = around.head, around.noun[-2:-1]
    if len(around.words[field.name]) > 1:  # `caller_name` is of a caller, whatever the entity is
        owner = singular(around.words[field.name][-2])
        if what_is(owner) is not None:
            head, before = owner, ()
    own = topic(around.entity.topic or "office")
    if around.has("latin name", "scientific name") and _has_room(field, 3):
        return _kind("thing-name", f"{reason}, beside a scientific one", sure, list="species")
    for named, kind in (
        ("person", "name"),
        ("firm", "organization"),
        ("vessel", "vessel-name"),
        ("place", "town"),
        ("landmark", "place-name"),
        ("animal", "thing-name"),
    ):
        what = f"{'an' if named == 'animal' else 'a'} {named}"
        for noun, trust in ((head, 1.1), *((one, 0.9) for one in before if head not in LISTS and head not in _OF_THINGS)):
            if what_is(noun) == named and _fits(kind, field):
                if kind == "name" and around.has("first name", "given name"):
                    return _kind("family-name", f"{reason}, beside a first name", sure * trust)
                if kind == "thing-name":
                    return _kind(kind, f"{reason} of {what}, by its entity", sure * trust, topic="animals")
                return _of_kind(
                    around,
                    field,
                    kind,
                    {"row": "place"} if kind == "town" else {},
                    f"{reason} of {what}, by its entity",
                    sure * trust,
                )
    if around.has("first name", "given name") and _fits("family-name", field):
        return _kind("family-name", f"{reason}, beside a first name", sure * 1.1)
    if (
        around.has("birth date", "born on", "gender", "date of birth", "birthday")
        and "breed" not in {w for ws in around.words.values() for w in ws}
        and _fits("name", field)
    ):
        return _kind("name", f"{reason}, beside what persons have", sure)
    if around.vocabulary.language != "en" and own.name == "office":
        return _kind("text", reason, sure, purpose="title") if _has_room(field, 30) else None
    if head in LISTS and own.has(LISTS[head]):
        return (
            _kind("thing-name", f"{reason} of one of its trade's {LISTS[head]}", sure, list=LISTS[head])
            if _has_room(field, 3)
            else None
        )
    if own.name in ("animals", "veterinary") and around.has("breed", "species") and _has_room(field, 3):
        return _kind("thing-name", f"{reason} of an animal, beside its breed", sure, topic="animals")
    return _kind("thing-name", f"{reason} of a thing", sure) if _has_room(field, 3) else None


_OF_THINGS = frozenset("group type category class item card plan list role note file document event account order line".split())


def _beside(around: _Around, field: Field, ends: tuple[str, ...]) -> str | None:
    """A text beside the field whose name is one of these, and which is there wherever the field is."""
    for other in around.entity.fields:
        words = around.words[other.name]
        if (
            other.name != field.name
            and words
            and words[-1] in ends
            and other.type.name in TEXTS
            and (field.nullable or not other.nullable)
        ):
            return other.name
    return None


def _keyed(entity: Entity, field: Field) -> bool:
    return any(field.name in rule.columns for rule in entity.unique_rules)


def _of_kind(around: _Around, field: Field, name: str, parameters: dict[str, str], reason: str, sure: float) -> _Guessed | None:
    kind = get_kind(name)
    if field.type.name not in kind.suits or not _fits(name, field):
        return None
    if name == "moment" and field.name.lower() in around.tied:
        return _kind("date-time", f"{reason}; other rules speak of it", sure)
    if kind.row == "place":
        parameters = {"row": _which_place(around, field), **parameters}
        if around.has("country", "country code", "country name", "nationality", "currency code", "country iso") or name in (
            "country-name",
            "iso-3166-country",
            "iso-3166-country-3",
        ):
            parameters["country"] = "mixed"
    elif kind.row == "file":
        parameters = {"row": "file", **parameters}
    if name == "street-address" and around.has("house number", "building number", "street number"):
        parameters["number"] = "none"
        if name == "time-zone" and not around.has("city", "town", "country"):
            parameters["country"] = "mixed"
    if name == "bcp-47-language" and not around.has("country", "country code"):
        return _tag_of_language(around, field, reason, sure)
    return _kind(name, reason, sure, **{key: value for key, value in parameters.items() if key in kind.parameters})


_TAGS = {
    "en": "en-GB:46 en-US:16 de-DE:14 fr-FR:10 es-ES:8 it-IT:6",
    "de": "de-DE:70 de-AT:10 en-GB:14 fr-FR:6",
    "fr": "fr-FR:74 fr-BE:8 en-GB:12 de-DE:6",
    "es": "es-ES:76 en-GB:14 fr-FR:10",
}


def _tag_of_language(around: _Around, field: Field, reason: str, sure: float) -> _Guessed | None:
    """Mostly the language of the world; without its country where the field is narrow, or its default is so written."""
    default = default_of(field)
    short = (field.room is not None and field.room < 5) or (default is not None and len(default) == 2)
    told = [pair.split(":") for pair in _TAGS.get(around.vocabulary.language, _TAGS["en"]).split()]
    weights: dict[str, float] = {}
    for tag, weight in told:
        tag = tag[:2] if short else tag.replace("-", "_") if default is not None and "_" in default else tag
        weights[tag] = weights.get(tag, 0.0) + float(weight)
    return _words(field, tuple(weights.items()), reason, sure)


_OTHER_PLACES = (
    "billing",
    "shipping",
    "delivery",
    "invoice",
    "origin",
    "destination",
    "from",
    "to",
    "birth",
    "home",
    "work",
    "second",
    "alternative",
    "emergency",
)


def _which_place(around: _Around, field: Field) -> str:
    words = around.words[field.name]
    return next((word for word in words if word in _OTHER_PLACES), "place")


def _number(field: Field, arguments: str, reason: str, sure: float) -> _Guessed | None:
    low, high, *shape = arguments.split()
    kind = field.type
    least, greatest = _declared_ends(field)
    if least is not None and greatest is not None:  # declared limits say more than a guess
        low, high = least, greatest
    elif (least is not None and float(least) > float(low)) or (greatest is not None and float(greatest) < float(high)):
        low, high = max(low, least or low, key=float), min(high, greatest or high, key=float)
        if float(low) >= float(high):
            return None
    most = _most(kind)
    if most is not None and float(high) > most:
        if most <= float(low):
            return None
        high = f"{most:g}" if most < 1e9 else str(int(most))
    if kind.name in INTEGERS:
        low, high = str(int(float(low))), str(max(int(float(low)) + 1, int(float(high))))
    if kind.name is TypeName.NUMERIC and not (kind.scale or 0) and kind.precision is not None:
        low, high = str(int(float(low))), str(max(int(float(low)) + 1, int(float(high))))
    if default_of(field) == "0" and shape[:1] == ["tail"] and float(low) in (0, 1):
        low, shape = "0", ["low"]  # mostly none
    told = f"{reason}: {low} to {high}"
    parameters = {"from": low, "to": high} | ({"shape": shape[0]} if shape and shape[0] != "even" else {})
    return _Guessed(
        KindSource(kind="number", parameters=tuple(parameters.items())), Guess(reason=told, confidence=round(sure, 2))
    )


def _most(kind: FieldType) -> float | None:
    if kind.most is not None:
        return float(kind.most)
    if kind.name in INTEGERS:
        return float((1 << (INTEGER_BITS[kind.name] - 1)) - 1)
    if kind.name is TypeName.NUMERIC and kind.precision is not None:
        scale = kind.scale or 0
        return 10.0 ** min(kind.precision - scale, 300) - 10.0**-scale
    return None


def _pairs(text: str) -> tuple[tuple[str, float], ...]:
    return tuple(
        (value, float(weight)) for value, _, weight in (item.rpartition(":") for item in re.split(r", (?=[^,]*:\d)", text))
    )


def _words(field: Field, pairs: tuple[tuple[str, float], ...], reason: str, sure: float) -> _Guessed | None:
    """Some values by weight; a default is the usual one."""
    kind = field.type.name
    kept = [(value, weight) for value, weight in pairs if _holds(field, value)]
    if not kept or sum(weight for _, weight in kept) < 0.5 * sum(weight for _, weight in pairs):
        return None
    default = default_of(field)
    if default is not None and kind in TEXTS and default.strip() == "":
        default = None
    if default is not None and _holds(field, default) and (kind in TEXTS or kind in NUMBERS):
        total = sum(weight for value, weight in kept if value != default) or 1.0
        kept = [
            (default, max(1.6 * total, dict(kept).get(default, 0.0))),
            *((value, weight) for value, weight in kept if value != default),
        ]
    return _weights(tuple(kept), reason, sure)


def default_of(field: Field) -> str | None:
    """A literal default as a text; None where there is none, or an expression."""
    if field.default is None:
        return None
    text = field.default.strip().strip("()")
    if quoted := re.fullmatch(r"(?:[eEnNbB])?'((?:[^']|'')*)'(?:::[\w \[\]().\"]+)?", text):
        return quoted[1].replace("''", "'")
    return text if re.fullmatch(r"-?\d+(\.\d+)?|true|false", text, re.I) else None


_LETTERS = {
    "y": ("Y", "N"),
    "n": ("Y", "N"),
    "t": ("t", "f"),
    "f": ("t", "f"),
    "1": ("1", "0"),
    "0": ("1", "0"),
    "j": ("J", "N"),
    "yes": ("yes", "no"),
    "no": ("yes", "no"),
    "on": ("on", "off"),
    "off": ("on", "off"),
    "true": ("true", "false"),
    "false": ("true", "false"),
}


def _flag(around: _Around, field: Field, share: float, found: Found, reason: str) -> _Guessed | None:
    kind, default, sure = field.type.name, default_of(field), found.confidence
    declared = (field.type.declared or "").lower()
    if kind is TypeName.BOOLEAN:
        yes, no = "true", "false"
    elif kind is TypeName.BIT:
        if (field.type.length or 1) != 1:
            return None
        yes, no = "1", "0"
    elif kind in INTEGERS:
        small = kind is TypeName.SMALLINT or "tinyint" in declared or (field.type.most is not None and field.type.most <= 255)
        if default is not None and default not in ("0", "1") and not (default.isdigit() and found.words[0] in ("is", "has")):
            return None
        if kind is TypeName.BIGINT and found.words[:1] not in (("is",), ("has",)) and default is None:
            return None
        sure *= 1.0 if small or default is not None or found.words[0] in ("is", "has", "can", "in") else 0.82
        yes, no = "1", "0"
    else:
        letters = _LETTERS.get((default or "").lower())
        if letters is None and kind is TypeName.CHAR and field.room == 2 and default in ("", None):
            letters = ("on", "")
        if letters is None and (field.room is None or field.room > 1):
            return None
        yes, no = letters or ("Y", "N")
        if default is not None and default.isupper() and len(default) > 1:
            yes, no = yes.upper(), no.upper()
    if not (_holds(field, yes) and _holds(field, no)):
        return None
    if default is not None:
        share = max(share, 0.8) if default.lower() == yes.lower() else min(share, 0.45 if share > 0.5 else share)
    pairs = ((yes, round(100 * share)), (no, round(100 * (1 - share))))
    return _weights(tuple(sorted(pairs, key=lambda pair: -pair[1])), reason, sure)


def _pattern(field: Field, pattern: str, reason: str, sure: float) -> _Guessed | None:
    import re._parser as parser  # type: ignore[import-not-found]

    low, high = parser.parse(pattern).getwidth()
    if (
        field.type.name not in TEXTS
        or (field.room is not None and low > field.room)
        or (field.limits.min_length or 0) > int(high)
    ):
        return None
    return _Guessed(PatternSource(pattern=pattern, origin=Origin.GUESSED), Guess(reason=reason, confidence=round(sure, 2)))


def _structured(field: Field, arguments: str, reason: str, sure: float) -> _Guessed | None:
    what, *mode = arguments.split()
    if field.type.name in TEXTS and (not mode or not _has_room(field, 120)):
        return None
    if field.type.name in TEXTS and (default := default_of(field)) is not None and not default.startswith(("{", "[")):
        return None
    return _kind("json", reason, sure, **{"for": what})


def _holds(field: Field, value: str) -> bool:
    """Whether a guessed value may stand in the field at all."""
    if field.type.name in TEXTS:
        return (field.room is None or len(value) <= field.room) and len(value) >= (field.limits.min_length or 0)
    if field.type.name is TypeName.BIT:
        return set(value) <= {"0", "1"}
    try:
        read_literal(value, field.type)
    except (ValueError, ArithmeticError):
        return False
    most = _most(field.type) if field.type.name in NUMBERS else None
    if field.type.name in NUMBERS and not _within_bounds(field, float(value)):
        return False
    return field.type.name not in NUMBERS or (
        (most is None or float(value) <= most) and (field.type.least is None or float(value) >= field.type.least)
    )


def _declared_ends(field: Field) -> tuple[str | None, str | None]:
    """The numbers between which a field is declared to lie."""
    least = [b.operand for b in field.limits.bounds if not b.path and b.comparison in (">", ">=") and _is_number(b.operand)]
    greatest = [b.operand for b in field.limits.bounds if not b.path and b.comparison in ("<", "<=") and _is_number(b.operand)]
    return max(least, key=float, default=None), min(greatest, key=float, default=None)


def _is_number(text: str) -> bool:
    return re.fullmatch(r"-?\d+(\.\d+)?", text) is not None


def _within_bounds(field: Field, value: float) -> bool:
    """Whether a number lies within the field's own bounds that are numbers."""
    for bound in field.limits.bounds:
        try:
            end = float(bound.operand)
        except ValueError:
            continue
        fits = {">": value > end, ">=": value >= end, "<": value < end, "<=": value <= end}
        if not bound.path and not fits.get(bound.comparison, True):
            return False
    return True


def _has_room(field: Field, length: int) -> bool:
    return (field.room is None or length <= field.room) and (field.limits.min_length or 0) <= max(length, 60)


def _fits(kind: str, field: Field) -> bool:
    """A personal or a long kind does not go into a column too narrow for it."""
    return field.type.name not in TEXTS or (
        (field.room is None or field.room >= _ROOM.get(kind, 2)) and (field.limits.min_length or 0) <= _ROOM.get(kind, 2)
    )


_TYPE_KINDS = {
    TypeName.UUID: "uuid",
    TypeName.DATE: "moment",
    TypeName.TIME: "time",
    TypeName.TIMESTAMP: "moment",
    TypeName.TIMESTAMPTZ: "moment",
    TypeName.INET: "ipv4",
    TypeName.MACADDR: "mac-address",
    TypeName.JSON: "json",
}


def _by_type(around: _Around, field: Field) -> Iterator[_Guessed]:
    kind, room, default = field.type, field.room, default_of(field)
    if kind.name is TypeName.BOOLEAN:
        share = {"true": 0.82, "false": 0.18, "1": 0.82, "0": 0.18}.get((default or "").lower(), 0.5)
        yield _weights((("true", round(100 * share)), ("false", round(100 - 100 * share))), "its type", 0.5)
        yield _kind("boolean", "its type", 0.4)
    elif kind.name is TypeName.BYTEA:
        if room is None or room > 120:
            yield _kind("document", "its type", 0.5)
        yield _kind("octets", "its type", 0.4)
    elif kind.name in _TYPE_KINDS:
        if kind.name in MOMENTS and field.name.lower() in around.tied:
            yield _kind("date-time", "its type", 0.5)
            return
        yield _kind(_TYPE_KINDS[kind.name], "its type", 0.5, **({"shape": "day"} if kind.name is TypeName.TIME else {}))
        if kind.name in MOMENTS:
            yield _kind("date-time", "its type", 0.4)
        elif kind.name is TypeName.TIME:
            yield _kind("time", "its type", 0.4)
    elif kind.name is TypeName.ARRAY:
        if kind.element is None or kind.element.name in TEXTS:
            yield _kind("term", "its type", 0.5, list="tags")
    elif kind.name in NUMBERS:
        small = kind.name is TypeName.SMALLINT
        if kind.name in INTEGERS and default in ("0", "1") and small:
            yield _words_or_none(field, (("0", 70.0), ("1", 30.0)), "a small number whose default is 0 or 1")
        top = "100" if kind.name in INTEGERS else "200"
        last = folded(field.name).rpartition("_")[2]
        if kind.name in INTEGERS and last != singular(last) and default is None:  # how many of something
            counted = _number(field, "0 30 tail", "how many, by the plural of its name", 0.42)
            if counted is not None:
                yield counted
        if default is not None and default.lstrip("-").replace(".", "").isdigit() and 1 < float(default) < 1e6:
            top = f"{max(10.0, 4 * float(default)):g}"
        plain = _number(field, f"{'1' if default != '0' else '0'} {top} {'low' if default == '0' else 'tail'}", "its type", 0.4)
        if plain is not None:
            yield plain
        yield _kind("number", "its type", 0.3)
    elif kind.name is TypeName.BIT:
        return
    else:
        if default is not None and default.replace(".", "").isdigit() and _holds(field, default):
            pairs = (
                (default, 60.0),
                *((one, 10.0) for one in ("1", "5", "10", "50", "100") if one != default and _holds(field, one)),
            )
            yield _weights(pairs, "its default, a number", 0.43)
        elif default is not None and default and _holds(field, default) and kind.name in TEXTS:
            listed = [one for one in topic(around.entity.topic or "office").words("kinds") if _holds(field, one)][:4]
            yield _weights(
                ((default, 60.0), *((one, 12.0) for one in listed if one != default)), "its default, and words of its trade", 0.42
            )
        if room == 2 and default == "" and kind.name is TypeName.CHAR:
            yield _weights((("", 70.0), ("on", 30.0)), "two characters, empty by default", 0.42)
        if room is not None and room <= 3:
            yield _Guessed(
                PatternSource(pattern=f"[A-Z]{{{room}}}", origin=Origin.GUESSED),
                Guess(reason=f"a text of at most {room} characters", confidence=0.41),
            )
        if room is not None and room < 8:
            yield _kind("code", f"a text of at most {room} characters", 0.4)
        if around.words[field.name][-1:] == ("by",) and _fits("username", field):
            yield _kind("username", "who did it", 0.5)
        last = singular(around.words[field.name][-1]) if around.words[field.name] else ""
        if what_is(last) == "person" and _fits("name", field):
            yield _kind("name", f"{last} is a person", 0.5)
        elif what_is(last) == "firm" and _fits("organization", field):
            yield _kind("organization", f"{last} is a firm", 0.5)
        elif last in by_noun() and last not in VAGUE:
            yield _kind("thing-name", f"{last} is of the topic {by_noun()[last][0]}", 0.45, topic=by_noun()[last][0])
        yield _kind("thing-name", "a text, and its name says no more", 0.4)
        yield _kind("code", "a text, and its name says no more", 0.2)


def _words_or_none(field: Field, pairs: tuple[tuple[str, float], ...], reason: str) -> _Guessed:
    return _words(field, pairs, reason, 0.45) or _kind("number", "its type", 0.3)
