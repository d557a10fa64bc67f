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
from .around import Around, Guessed, around_of, counts_up, default_of, is_keyed, is_listed, names_moment, tied_fields
from .by_type import by_type, has_happened
from .codes import code_pattern, numbered_by_date
from .concepts import Found, matching
from .in_context import below_ten, in_context
from .naming import Vocabulary, in_language
from .of_row import of_kind
from .offers import as_flag, as_json, by_family, by_number, by_pattern, by_words, has_room, of_named_kind, read_pairs
from .topics import vocabulary_of

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


_OTHERS = 6  # candidates that are kept beside the first


def guess_kinds(world: World) -> World:
    """Every field that no source was named for gets the values that fit best, with the reason."""
    vocabulary = vocabulary_of(world)
    tied = tied_fields(world)
    return replace(world, entities=tuple(_guess_entity(world, entity, vocabulary, tied) for entity in world.entities))


def _guess_entity(world: World, entity: Entity, vocabulary: Vocabulary, tied: dict[str, frozenset[str]]) -> Entity:
    around = around_of(world, entity, vocabulary, tied)
    referring = {column for relation in entity.relations for column in relation.columns}
    fields = []
    named = _named_in_checks(entity)
    for field in entity.fields:
        said = field.source or field.name in referring or field.generated or counts_up(entity, field) or is_listed(field)
        if said or field.type.name not in _GUESSABLE:
            field = changed(field, secret=True) if field.secret is None and _is_secret(around, field) else field
            if field.source is not None and field.guess is None and field.type.name in TEXTS and field.means is None:
                first = next(_candidates(around, field)).source
                field = changed(field, means=first.kind if isinstance(first, KindSource) else None)
            free = not field.source and is_listed(field) and field.guess is None and field.name not in referring
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
            candidates.insert(0, Guessed(WeightsSource(weights=weights), guess))
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


def _usual_of_list(around: Around, field: Field) -> Field:
    """A field whose values are listed, with some more usual than others: the default, what comes first, what does not fail."""
    values = list(field.limits.allowed[0].values if field.limits.allowed else field.type.values)
    keyed = is_keyed(around.entity, field) or field.name in {name for owner in around.entity.key for name in (owner,)}
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
    """Whether a field holds a secret by its name, whatever it is filled from."""
    return any(found.concept.secret and found.whole for found in matching(around.words[field.name]))


def _plain(one: Guessed) -> Guessed:
    """A guess without a shape: by name and type alone."""
    if not isinstance(one.source, KindSource):
        return one
    kind = "date-time" if one.source.kind == "moment" else one.source.kind
    parameters = tuple(pair for pair in one.source.parameters if pair[0] not in ("shape", "when"))
    return replace(one, source=KindSource(kind=kind, parameters=parameters))


def _with(field: Field, candidates: list[Guessed]) -> Field:
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


def _candidates(around: Around, field: Field) -> Iterator[Guessed]:
    """What the field may be filled from, the most likely first; the last is what its type suggests."""
    found = [*_as_identifier(around, field), *_of_family(field), *_in_seconds(around, field), *_guessed(around, field)]
    alone = any(rule.columns == (field.name,) for rule in (*around.entity.unique_rules, *around.entity.uniques))
    found.sort(
        key=lambda one: (alone and isinstance(one.source, WeightsSource), -one.guess.confidence)
    )  # a few tell no rows apart
    yield from found[:_OTHERS]
    room = field.room
    if alone and any(isinstance(one.source, KindSource) and one.source.kind == "name" for one in found):
        login = of_kind(around, field, "username", {}, "a name that differs in each row", 0.6)
        yield from () if login is None else (login,)
    if field.type.name in TEXTS and (field.name,) == around.entity.key and (room is None or room >= 36):
        yield of_named_kind("uuid", "a text that is the key", 0.5)
    yield from by_type(around, field)


def _as_identifier(around: Around, field: Field) -> Iterator[Guessed]:
    """A text with room for a UUID and no more, whose name is of an identifier, or which is the key."""
    words = around.words[field.name]
    named = words[-1:] and words[-1] in ("id", "uuid", "guid", "key", "by", "user", "oid")
    key = around.entity.key == (field.name,)
    if field.type.name not in TEXTS or not (named or (key and field.room == 36)):
        return
    if field.room == 36:
        yield of_named_kind("uuid", "an identifier of 36 characters", 0.97)
    elif field.room in _IDENTIFIERS and (words[-1:] != ("key",) or key):
        made = by_pattern(field, _IDENTIFIERS[field.room], f"an identifier of {field.room} characters", 0.97)
        yield from () if made is None else (made,)


_IDENTIFIERS = {  # by their length: of 96 bits, of 128 bits by 32 signs, and in hexadecimal digits
    24: "[0-9a-f]{24}",
    26: "0[0-9][A-HJKMNP-TV-Z0-9]{24}",
    32: "[0-9a-f]{32}",
}


def _of_family(field: Field) -> Iterator[Guessed]:
    """A text whose default is known to stand beside others."""
    default = default_of(field)
    if field.type.name in TEXTS and default and (family := by_family(field, default, "a choice", 0.8)) is not None:
        yield family


def _in_seconds(around: Around, field: Field) -> Iterator[Guessed]:
    """A whole number that tells of a moment, by a word for it or beside others that do."""
    if field.type.name not in (TypeName.INTEGER, TypeName.BIGINT) or default_of(field) not in (None, "0", "-1"):
        return
    words = around.words[field.name]
    if names_moment(words):
        yield of_named_kind("epoch", f"{words[-1]} tells of a moment, in seconds since 1970", 0.95)
    elif around.in_seconds - {field.name} and words[-1:] and words[-1] not in _NO_MOMENT and words[0] != "number":
        ways = (words, tuple(reversed(words))) if len(words) == 2 else (words,)
        told = [one for way in ways for one in matching(way) if one.concept.arguments.startswith(("moment", "date-time"))]
        sure = max((one.confidence for one in told), default=0.0)
        if not sure and (has_happened(words) or {"last", "first", "current"} & set(words[:-1])):
            sure = 0.86 if len(around.in_seconds) > 1 and not has_happened(words) else 0.62
        if sure:
            yield of_named_kind("epoch", f"a moment, by its name, beside {min(around.in_seconds - {field.name})}", sure * 0.97)


_NO_MOMENT = frozenset(  # what a number of some past thing counts or names
    "id number count position index page status result value code level version size total amount line limit length key name "
    "row item rate score step revision state type mode flag port pid revision user by duration seconds days hours minutes".split()
)


def _guessed(around: Around, field: Field) -> Iterator[Guessed]:
    """What concepts say of it, the surest first; no more than are kept."""
    told = [
        (found.confidence * trust, number, found, words, trust, how)
        for number, (words, trust, how) in enumerate(_readings(around, field))
        for found in matching(words)
        if field.type.name in found.concept.types
    ]
    told.sort(key=lambda one: (-one[0], one[1]))
    if field.type.name in TEXTS and not told:
        yield from _numbers_as_texts(around, field)
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


def _numbers_as_texts(around: Around, field: Field) -> Iterator[Guessed]:
    """A text whose name is of a number: some of those numbers."""
    words = around.words[field.name]
    for found in (one for way in (words, (around.head, *words)) for one in matching(way)):
        concept = found.concept
        measure = found.words[-1] in _MEASURED
        if concept.types & NUMBERS and found.whole and concept.what == "num" and field.room != 1 and measure:
            low, high = (float(end) for end in concept.arguments.split()[:2])
            digits = 0 if high - low > 20 else 1
            values = dict.fromkeys(f"{low + (high - low) * step / 23:.{digits}f}" for step in range(24))
            reason = f"{_reason(found, words)}, a number as a text"
            made = by_words(field, tuple((value, 1.0) for value in values), reason, 0.6)
            yield from () if made is None else (made,)
            return


_MEASURED = frozenset(
    "weight height length width depth quantity age income salary bmi temperature pulse distance duration score marks speed price "
    "amount total pressure volume area percent percentage rate count size kg cm mm m km hours minutes days years".split()
)


def _reason(found: Found, words: tuple[str, ...]) -> str:
    end = " ".join(found.words)
    if found.whole:
        return "its name"
    return f"the end of its name, {end}" if words[-1] == found.words[-1] else f"its name begins with {end}"


def _readings(around: Around, field: Field) -> Iterator[tuple[tuple[str, ...], float, str]]:
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
    if len(words) > 1 and words[-1] == "minimum" and (words[-2] in _TIMES or _is_minutes(around, words)):
        yield (*words[:-1], "minutes"), 1.02, ""
    if len(words) > 1 and words[-1] in _MEASURES:
        yield words[:-1], 0.96, ""
    if words[-1].isdigit() and len(words) > 1:
        yield words[:-1], 0.97, ""
    if len(words) > 1 and words[-1] in _UNITS:
        yield (*words[:-1], _UNITS[words[-1]]), 1.0, ""
    if len(words) > 1 and words[0] == "number" and field.type.name in NUMBERS:
        yield (*words[1:], "count"), 1.0 if words[1] == "of" else 1.15, ""  # num_stars are no rating
    if len(words) == 2 and words[-1] not in _HEADS:
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


_HEADS = frozenset(  # what a name that ends in one of these tells of is no matter of its other word
    "type status state id ids uid guid uuid by url path flag width height size position format mode method order level rank "
    "limit key kind token hash algorithm algo source".split()
)


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


_TIMES = frozenset("time duration delay downtime setup wait interval late length lasts runtime overtime pressing".split())
_OPINIONS = frozenset(
    "comment comments remark remarks text body feedback message opinion note notes description content review".split()
)
_COUNTED = frozenset(
    "age price stock quantity temperature order amount value players score level rate size weight length speed height".split()
)


def _is_minutes(around: Around, words: tuple[str, ...]) -> bool:
    """Whether `min` stands for minutes: nothing has a greatest value of it, and it is nothing that has a least one."""
    return words[-2] not in _COUNTED and (*words[:-1], "maximum") not in around.words.values()


_MEASURES = frozenset("minimum maximum average mean from to low high lower upper peak old new previous current target".split())


def _by_concept(around: Around, field: Field, found: Found, reason: str) -> Iterator[Guessed]:
    concept, kind = found.concept, field.type
    if kind.name is TypeName.ARRAY and kind.element is not None and kind.element.name not in TEXTS:
        return
    if concept.arguments.startswith("epoch") and not found.whole and not _tells_moment(around, field, found):
        return
    if concept.room is not None and (field.room is None or field.room > concept.room):
        return
    ways = _coded(around, field, found, reason) if concept.what == "code" else (_made(around, field, found, reason),)
    for made in ways:
        if made is not None:
            yield replace(made, share=concept.there, secret=concept.secret or made.secret)


def _tells_moment(around: Around, field: Field, found: Found) -> bool:
    """Whether a number whose name ends in a word for a moment may well be one: others are, or the word says so plainly."""
    return bool(around.in_seconds - {field.name}) or found.words[-1] in _PLAINLY


_PLAINLY = frozenset("time timestamp date at seen login visit updated created modified accessed clock".split())


def _made(around: Around, field: Field, found: Found, reason: str) -> Guessed | None:
    """What a concept makes of a field; nothing where that does not go into it."""
    arguments, sure = found.concept.arguments, found.confidence
    match found.concept.what:
        case "flag":
            return as_flag(around, field, float(arguments), found, reason)
        case "kind":
            name, *pairs = arguments.split(" ")
            return of_kind(around, field, name, dict(pair.split("=") for pair in pairs), reason, sure)
        case "num":
            return _numbered(around, field, arguments, found, reason, sure)
        case "words":
            return by_words(field, in_language(tuple(read_pairs(arguments)), around.vocabulary.language), reason, sure)
        case "pattern":
            return by_pattern(field, arguments, reason, sure)
        case "text":
            fitting = field.room is None or field.room >= 8
            return of_named_kind("text", reason, sure, purpose=_purpose(around, field, found)) if fitting else None
        case "json":
            return as_json(field, arguments, reason, sure)
        case "of":
            fitting = field.type.name is TypeName.ARRAY or has_room(field, 3)
            return of_named_kind("term", reason, sure, list=arguments) if fitting else None
        case what:
            return in_context(around, field, what, reason, sure)


def _numbered(around: Around, field: Field, arguments: str, found: Found, reason: str, sure: float) -> Guessed | None:
    if found.words[-1:] == ("number",) and default_of(field) in ("0", "1"):
        arguments = "1 20 tail"  # how many, where one is usual
    if field.follows is not None or any(f.follows and f.follows.field == field.name for f in around.entity.fields):
        arguments = " ".join(arguments.split()[:2])  # ties would hide the ranks
    whole = (field.type.precision or 0) - (field.type.scale or 0)
    if (
        arguments.startswith("0 1 ")
        and whole > 2
        and (field.type.scale or 0) < 3
        and found.words[-1] in ("rate", "share", "ratio")
        and not field.limits.bounds
    ):
        arguments = "0 100 hump"  # of a hundred, since it has room for them
    if below_ten(field.type) and (field.type.scale or 0) > 1 and float(arguments.split()[1]) > 10:
        arguments = "0 1 hump"  # a share: a score of numeric(4,3) does not go to 100
    made = by_number(field, arguments, reason, sure)
    counted = _PIECES & set(around.words[field.name]) and (field.type.scale or 0) > 2
    if made is not None and counted and isinstance(made.source, KindSource):
        return replace(made, source=replace(made.source, parameters=(*made.source.parameters, ("step", "1"))))
    return made


_PIECES = frozenset("quantity pieces units items".split())


def _purpose(around: Around, field: Field, found: Found) -> str:
    """What a text is for; beside a rating an opinion of it."""
    judged = around.head in ("review", "rating", "feedback", "evaluation", "survey", "assessment", "opinion", "testimonial")
    rated = (judged and ("score",) in around.words.values()) or any(
        words[-1:] in (("rating",), ("stars",)) and "number" not in words for words in around.words.values()
    )
    last = around.words[field.name][-1]
    opinion = found.concept.arguments in ("remark", "message", "description") and last in _OPINIONS
    return "review" if rated and opinion else found.concept.arguments


_ROOMS = ("A1.04", "A1.12", "A2.07", "B0.01", "B1.15", "B2.03", "C0.11", "C1.02", "C2.20", "D1.09")
_SHORT_ROOMS = ("101", "102", "110", "204", "212", "305")


def _coded(around: Around, field: Field, found: Found, reason: str) -> Iterator[Guessed | None]:
    """A code of a concept's form: one of a few rooms, or an endless number; with the year of the row's date where it has one."""
    form, sure, vocabulary = found.concept.arguments, found.confidence, around.vocabulary
    if form == "room" and not is_keyed(around.entity, field):
        rooms = _ROOMS if has_room(field, 5) else _SHORT_ROOMS
        yield by_words(field, tuple((one, float(10 - at)) for at, one in enumerate(rooms)), reason, sure)
        return
    pattern = code_pattern(form, vocabulary.words(field.name), around.noun, field.room, vocabulary.language)
    yield numbered_by_date(around, field, pattern, reason, sure)
    yield by_pattern(field, pattern, reason, sure * 0.98)
