"""What the last word of a name says where nobody knows what stands before it: in daily life a source is no file, a method no verb
of the web, and the width of a thing is not told in pixels."""

from __future__ import annotations

from collections.abc import Iterator

from ..model import Field
from ..model.types import INTEGERS, TEXTS
from .around import Around, Guessed, default_of
from .codes import code_pattern
from .concepts import matching
from .naming.values import in_language
from .nouns import SYSTEMS, what_is
from .offers import CLASSES, SORTS, by_number, by_pattern, by_words, fits, of_named_kind, read_pairs

_SURE = 0.87  # more than what a single word at the end of a name is trusted elsewhere, less than what two of them are
_YES_OR_NO = "yes:62, no:38"
_WORDS = {
    "section": "A:30, B:28, C:24, D:18",
    "method": "by hand:34, machine:30, standard:22, mixed:14",
    "source": "own stock:30, supplier:30, donated:14, imported:14, unknown:12",
    "step": "first:30, second:28, third:22, final:20",
    "theme": "history:24, nature:26, technology:22, art:16, health:12",
    "part": "front:26, rear:24, left:18, right:18, base:14",
    "position": "front:26, middle:26, rear:20, left:14, right:14",
    **dict.fromkeys(("flag", "ok", "required", "needed", "done", "allowed"), _YES_OR_NO),
}
_SEVERAL = {"line": "Line [1-9]", "route": "Route [1-9][0-9]?", "set": "Set [1-9]", "page": "[1-9][0-9]?"}
_KINDS = {"stop": "place-name", "site": "place-name", "office": "town", "origin": "country-name"}
_SORTED = frozenset("category form program piece motif mark series project task team target".split())
_CODED = frozenset("ref order key record".split())
_MEASURES = {"width": "8 260 hump", "height": "8 260 hump", "size": "1 60 hump", "amount": "2 900 tail"}


def by_head(around: Around, field: Field) -> Iterator[Guessed]:
    """The likeliest of a name of two words or more, whose last one alone is known, outside of models about computers."""
    words = around.words[field.name]
    if len(words) < 2 or around.of_systems or around.topic.within(*SYSTEMS) or default_of(field) is not None:
        return
    kind, head = field.type.name, words[-1]
    if any(len(one.words) > 1 and kind in one.concept.types for one in matching(words)):
        return
    made = None
    reason = f"{head}, of something that nobody knows"
    if kind in INTEGERS and head in _MEASURES:
        made = by_number(field, _MEASURES[head], reason, _SURE)
    elif kind in TEXTS:
        made = _text(around, field, words, reason)
    yield from () if made is None else (made,)


def _text(around: Around, field: Field, words: tuple[str, ...], reason: str) -> Guessed | None:
    head, language = words[-1], around.vocabulary.language
    if head == "position" and (what_is(around.head) == "person" or around.has("first name", "last name", "salary", "department")):
        return None  # which somebody has
    if head == "class":
        return by_words(field, CLASSES, reason, _SURE)
    if head in _WORDS:
        return by_words(field, in_language(read_pairs(_WORDS[head]), language), reason, _SURE)
    if head in _SORTED:
        return by_words(field, in_language(SORTS, language), reason, _SURE)
    if head in _SEVERAL and language == "en":
        return by_pattern(field, _SEVERAL[head], reason, _SURE)
    if head in _KINDS and fits(_KINDS[head], field):
        return of_named_kind(_KINDS[head], reason, _SURE)
    if head in _CODED:
        return by_pattern(field, code_pattern("", words, around.noun, field.room, language), reason, _SURE)
    return None
