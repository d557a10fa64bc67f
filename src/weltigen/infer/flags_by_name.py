"""Whole numbers that are flags, by what their names say and by their defaults."""

from __future__ import annotations

import re
from collections.abc import Iterator

from ..model import Field, TypeName
from ..model.types import INTEGERS
from .around import Around, Guessed, default_of
from .by_sense import is_adjective, is_state
from .naming import folded, singular
from .nouns import is_noun
from .offers import by_weight, by_words, of_named_kind
from .roots import is_participle

_BEING = frozenset(
    "safe sale only friendly proof done dry wet broken stolen lost dead alive urgent fragile optional mandatory free full "
    "empty ready open hidden spare driven taken hardy resistant tolerant edible toxic native organic vegan vegetarian "
    "perennial waterproof".split()
)
_WHERE = frozenset("near in on with without under above for before after needs includes accepts auto".split())
_ASKED_OF = frozenset("would should can must could may".split())
# words with which a name asks whether something is so
ASKING = frozenset("is was has have had does allows requires needs includes accepts contains shows sends uses with".split())
_MEASURED = frozenset("buffer notice interval delay limit days hours minutes seconds period duration time count amount".split())
_COUNTING = frozenset("number total count quantity".split())
_HOW = re.compile(r"[a-z]{3,}(ed|able|ible|ive|ous|ful|less|proof|ready|only|free)$")
_ASKED = re.compile(  # isopaque, hasparent; no issues, islands, hashes
    r"(?i)(?:[a-z]{1,3}_)?(?:is(?!su|la|ol|ot|bn|in)|has(?!h|t)|allows?|enable|disable|show(?!s)|hide(?!s)|use(?!r|d))_?[a-z]{4,}$"
)
_ABLE = re.compile(r"(?i)(?<!vari)(?<!recov)(?<!pay)(?<!receiv)(?<!t)(?<!c)[a-z]{2}(able|ible)$")


def is_done(words: tuple[str, ...]) -> bool:
    """Whether a name tells that something was done, and not of how many: gift wrapped, paid; not seats reserved."""
    *before, last = words or ("",)
    done = is_participle(last)
    return done and all(word == singular(word) for word in before)


_NO_FLAGS = frozenset("parent slot scope action event source object partition direction result domain recovery group grp".split())


def _may_be_so(around: Around, words: tuple[str, ...]) -> bool:
    """Whether one thing, nothing measured or counted, stands in a model that keeps its flags as numbers."""
    if around.of_systems or around.world.has_booleans or len(words) != 1 or words != tuple(map(singular, words)):
        return False
    return not (_COUNTING | _MEASURED | _NO_FLAGS) & set(words) and not words[0].endswith(("er", "or", "ex"))


def _is_so(words: tuple[str, ...], default: str | None) -> bool:
    """Whether a name says something that is so or not: near window, sleeved; cooperative, for sale, where it is so by default."""
    if not words or words != tuple(map(singular, words)) or _COUNTING & set(words):
        return False
    how = words[-1] in _BEING or is_adjective(words[-1])
    where = len(words) > 1 and words[0] in _WHERE and words[-1] not in _MEASURED
    where = where or words[:2] == ("out", "of") or (len(words) == 2 and is_participle(words[0]) and is_state(words[1]))
    asked = len(words) > 1 and words[0] in _ASKED_OF
    told = is_done(words) or where or asked or (how and len(words) < 3)
    return told or (default is not None and (how or _HOW.match(words[-1]) is not None))


def flags_by_name(around: Around, field: Field) -> Iterator[Guessed]:
    """0 and 1, the default the more usual; without a default only where no column of the model is declared as a boolean."""
    default = default_of(field)
    if field.type.name not in INTEGERS or _tells_of_several(around, field):
        return
    if default in ("0", "1") and _is_so(around.words[field.name], default):
        other = "1" if default == "0" else "0"
        yield by_weight(((default, 78.0), (other, 22.0)), "whether it is so, by its name and its default", 0.46)
    if default in ("0", "1") and _may_be_so(around, around.words[field.name]):
        yield _or_number(field, 80.0 if default == "0" else 20.0, "whether it is so, by its default; no column is a boolean")
    if default is None and not around.world.has_booleans and _is_so(around.words[field.name], None):
        yield _or_number(field, 60.0, "whether it is so, by its name; no column of the model is a boolean")
    if default is None and (field.type.declared or "").lower().startswith("tinyint"):
        yield _or_number(field, 60.0, "a tinyint, which mostly is a flag")
    if default in (None, "0", "1") and _ABLE.search(field.name):
        yield _or_number(field, 45.0, "what a thing is able to be, by its name")
    if (default or "").lower() in ("true", "false") or (default in (None, "0", "1") and _ASKED.match(field.name)):
        yield _or_number(field, 60.0, "a question of yes or no, by its name or its default")
    if default in ("0", "1") and field.type.name is TypeName.SMALLINT:
        yield _or_number(field, 70.0, "a small number whose default is 0 or 1")


def _tells_of_several(around: Around, field: Field) -> bool:
    """Whether something was done with several things, which are counted: `stops_visited`, of whose words the plural is gone."""
    words, name = around.words[field.name], folded(field.name)
    return (
        len(words) == 2 and is_done(words) and is_noun(words[0]) and re.search(rf"{words[0]}e?s_?{words[1]}$", name) is not None
    )


def _or_number(field: Field, no: float, reason: str) -> Guessed:
    """0 so often in a hundred, else 1; a number where the field does not take both."""
    return by_words(field, (("0", no), ("1", 100.0 - no)), reason, 0.45) or of_named_kind("number", "its type", 0.3)
