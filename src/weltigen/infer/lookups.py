"""Short lists that others refer to by a code: each code is short for its row's name, and there are as many rows as names."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from unicodedata import normalize

from ..expression.names import plain_name, quoted_text
from ..model import Candidate, Entity, Field, Guess, KindSource, PatternSource, WeightsSource, World
from ..model.changing import changed
from ..model.types import TEXTS
from ..values.things import names_of_topic
from ..values.vocabulary import NEUTRAL
from .copies import computed
from .free import is_open, named_in_rules
from .naming import Vocabulary
from .plain_words import own_words
from .vocabularies import vocabulary_of

_MOST = 20  # rows of a list that has codes short for its names
_CODES = frozenset((("code",), ("key",), ("id",), ("type",), ("short", "code"), ("short", "name"), ("abbreviation",)))
_SHORTEST = 2  # characters of a code


def guess_lookups(world: World) -> World:
    """Codes that tell rows apart as short forms of the names beside them."""
    vocabulary = vocabulary_of(world)
    return replace(world, entities=tuple(_listed(world, entity, vocabulary) for entity in world.entities))


def _listed(world: World, entity: Entity, vocabulary: Vocabulary) -> Entity:
    """The entity with its codes, each of which says what its row is called."""
    shown = next((field for field in entity.fields if field.guess is not None and field.guess.closed), None)
    if shown is None or entity.there or entity.fixed or entity.name not in world.referred_to:
        return entity
    told = named_in_rules(entity)
    coded = next((field for field in entity.fields if _is_code(entity, field, vocabulary)), None)
    if coded is None or shown.nullable or not is_open(entity, shown) or {coded.name.lower(), shown.name.lower()} & told:
        return entity
    names = [name for name in _names(world, entity, shown, vocabulary) if shown.room is None or len(name) <= shown.room]
    codes = short_for(names, coded.room) if len(names) > 1 else None
    if codes is None:
        return entity
    assert coded.source is not None and coded.guess is not None
    pairs = tuple(zip(codes, names, strict=True))
    first = Candidate(source=coded.source, guess=coded.guess)
    guess = Guess(reason=f"short for its {shown.name}", confidence=0.9, closed=True)
    code = changed(
        coded, source=WeightsSource(weights=tuple((code, 1.0) for code in codes)), guess=guess, others=(first, *coded.others)
    )
    cases = " ".join(f"WHEN {quoted_text(code)} THEN {quoted_text(name)}" for code, name in pairs[:-1])
    whole = f"CASE {plain_name(coded.name)} {cases} ELSE {quoted_text(names[-1])} END"
    name = computed(shown, whole, f"what {coded.name} is short for")
    made = {coded.name: code, shown.name: name}
    return changed(entity, fields=tuple(made.get(field.name, field) for field in entity.fields))


def _is_code(entity: Entity, field: Field, vocabulary: Vocabulary) -> bool:
    """Whether a field alone tells rows apart by a code that says nothing."""
    alone = [rule for rule in entity.unique_rules if field.name in rule.columns]
    if field.type.name not in TEXTS or field.nullable or not alone or any(len(rule.columns) > 1 for rule in alone):
        return False
    referring = any(field.name in relation.columns for relation in entity.relations)
    without = field.limits.bounds or field.limits.allowed or field.limits.patterns or field.limits.casing or field.generated
    nothing = isinstance(field.source, PatternSource) or (isinstance(field.source, KindSource) and field.source.kind == "code")
    return nothing and not (referring or without) and own_words(entity, vocabulary)[field.name] in _CODES


def _names(world: World, entity: Entity, field: Field, vocabulary: Vocabulary) -> Sequence[str]:
    source = field.source
    if isinstance(source, WeightsSource):
        names: Sequence[str] = source.values()
    elif isinstance(source, KindSource) and source.kind == "thing-name":
        told = dict(source.parameters)
        topic = told.get("topic") or entity.topic or NEUTRAL
        names = names_of_topic(topic, told.get("list", "names"), vocabulary.language, entity.words)
    else:
        names = ()
    return names[:_MOST]


def short_for(names: Sequence[str], room: int | None) -> list[str] | None:
    """A code for each name, of two to four capitals, all different; None where there is no room for such."""
    most = 4 if room is None else min(4, room)
    if most < _SHORTEST:
        return None
    codes: dict[str, None] = {}
    for name in names:
        if (code := next((one for one in _shorter(name, most) if one not in codes), None)) is None:
            return None
        codes[code] = None
    return list(codes)


def _shorter(name: str, most: int) -> Sequence[str]:
    """Short forms of a name, the best first."""
    plain = normalize("NFKD", name.replace("ß", "ss")).encode("ascii", "ignore").decode().upper()
    words = ["".join(filter(str.isalnum, word)) for word in plain.replace("-", " ").split()]
    words = [word for word in words if word not in ("OF", "AND", "THE", "FOR", "IN", "TO", "A", "AT", "WITH", "UND", "DER", "DE")]
    letters = "".join(words)
    bones = letters[:1] + "".join(letter for letter in letters[1:] if letter not in "AEIOU0123456789")
    three = min(3, most)
    forms = ["".join(word[0] for word in words if word)[:most]] if len(words) > 1 else []
    forms += [bones[:three], letters[:three], letters[:most], bones[:most]]
    forms += [f"{letters[: most - 1]}{number}" for number in range(2, 10)]
    return [form for form in dict.fromkeys(forms) if len(form) >= _SHORTEST]
