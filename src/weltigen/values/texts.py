"""Texts by purpose, made of a topic's words: descriptions, remarks, reasons, messages, titles.

Sentences are put together beforehand, a few hundred for each place in a text; a text is a choice of one for each place.
"""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import replace
from functools import lru_cache
from math import prod
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from ..randomness import WIDEST, Key, Words
from ..randomness.mixing import word
from .grammar import SLOT, capitalised, with_article, within_text
from .pools import join, taker, text_pool
from .registry import FromText, KindError, Request, Values, declare
from .text_forms import FORMS
from .vocabulary import NEUTRAL, Topic, sentences, templates, topic, topics, without_article
from .vocabulary import Words as Lists
from .vocabulary import listed as words_for

PURPOSES = (
    "answer",
    "bio",
    "calendar",
    "cancellation",
    "certificate",
    "changes",
    "commit",
    "description",
    "error",
    "headers",
    "html",
    "instruction",
    "issue",
    "log-line",
    "markdown",
    "message",
    "picture",
    "question",
    "reason",
    "remark",
    "report",
    "review",
    "signoff",
    "slogan",
    "stylesheet",
    "svg",
    "table",
    "terms",
    "title",
    "trace",
    "vcard",
    "xml",
    "yaml",
)


# where a purpose has no sentences of its own in another language
_LIKE = {"terms": "description", "error": "issue", "log-line": "remark"}


_CHOICES = 240  # sentences for each place in a text


KEY = Key(0x9B05688C2B3E6C1F, 0x1F83D9ABFB41BD6B)


def topic_of(request: Request) -> Topic:
    name = request.parameters.get("topic", request.topic)
    return (topic(name) if name in topics() else topic(NEUTRAL)).spoken(request.language).with_words(request.words)


def _filled(template: str, words: Mapping[str, Sequence[str]], number: int, language: str) -> str:
    """A template with words of its topic; `number` chooses among them."""
    at = word(KEY, number)
    chosen: dict[str, str] = {}

    def one(slot: re.Match[str]) -> str:
        nonlocal at
        article, name = slot[1], slot[2].lower()
        if name not in chosen:
            listed = words[name.rstrip("2")]
            at, turn = divmod(at, len(listed))
            at += 7
            chosen[name] = next((v for v in (*listed[turn:], *listed[:turn]) if v not in chosen.values()), listed[turn])
        value = within_text(chosen[name]) if language == "en" else chosen[name]
        said = with_article(value, article.lower(), language) if article else without_article(value)
        return capitalised(said) if slot[0][1].isupper() else said

    return capitalised(SLOT.sub(one, template))


def _templates(language: str, purpose: str, place: str) -> tuple[str, ...]:
    """In English where a language has none for a purpose, nor for one like it."""
    for name in (purpose, _LIKE.get(purpose, purpose)) if language != "en" else ():
        if any(f"{language} {name} {one}".strip() in sentences() for one in ("", "opening")):
            return sentences().get(f"{language} {name} {place}".strip(), ())
    return templates().get(f"{purpose} {place}".strip(), ())


_TOUCHED = "* "  # marks a sentence that is said only of what one can touch


@lru_cache(maxsize=1024)
def _sentences(name: str, language: str, said: Lists, purpose: str, place: str, half: int | None = None) -> tuple[str, ...]:
    """The sentences for one place of a text, those of the topic mixed with each other; different, some hundred. `half`: of
    every other template alone, so that two sentences of one text are not of the same."""
    own = topic(name).spoken(language).with_words(said)
    if purpose in ("report", "changes"):
        return own.words("reports")
    if purpose == "question":
        return own.words("questions")
    listed = _templates(language, purpose, place)
    if not listed:
        return ()
    english = listed == templates().get(f"{purpose} {place}".strip())
    listed = tuple(one.removeprefix(_TOUCHED) for one in listed if name not in words_for("untouchable") or one[:2] != _TOUCHED)
    listed = listed if half is None or len(listed) < 2 else listed[half::2]
    if english:
        own = own.spoken("en")  # a purpose that is English everywhere
    slots = {slot: own.nouns_of(f"{slot}s") for slot in ("thing", "part", "use", "issue", "kind")}
    made: dict[str, None] = {}
    for turn in range(40):
        made.update(dict.fromkeys(_filled(one, slots, 64 * turn + number, own.language) for number, one in enumerate(listed)))
        if len(made) >= _CHOICES:
            break
    if purpose in ("reason", "issue") and own.has("reasons"):
        made = dict.fromkeys([*map(capitalised, own.words("reasons")), *made])
    return tuple(made)[:_CHOICES]


def _places(own: Topic, language: str, purpose: str) -> list[tuple[str, ...]]:
    if purpose in ("report", "changes"):
        every = _sentences(own.name, language, own.said, purpose, "")
        return [every[0::2], every[1::2]]
    spread = [_sentences(own.name, language, own.said, purpose, place) for place in ("opening", "detail", "closing")]
    halves = (0, 1) if purpose == "bio" else (None,)
    return [one for one in spread if one] or [_sentences(own.name, language, own.said, purpose, "", half) for half in halves]


def _joined(parts: list[list[str]], optional: int) -> Values:
    """One of each list, a space between; of the last `optional` lists maybe none."""
    pools, sizes = [], []
    for number, texts in enumerate(parts):
        may = number >= len(parts) - optional
        pools.append(taker(text_pool([*([""] * (len(texts) // 2) if may else []), *(f" {t}" if number else t for t in texts)])))
        sizes.append(len(texts) + (len(texts) // 2 if may else 0))

    def decode(positions: Words) -> Any:
        columns = []
        for pool, size in zip(pools, sizes, strict=True):
            rest = positions // np.uint64(size)
            columns.append(pool(positions - rest * np.uint64(size)))
            positions = rest
        return columns[0] if len(columns) == 1 else join(*columns)

    return Values(space=min(prod(sizes), WIDEST), decode=decode)


@declare("text", "A text by its purpose, in the words of its topic.", parameters=("purpose", "topic", "language", "characters"))
def text(request: Request) -> Values:
    """`characters: 120`: about so many in the middle, where the field leaves room for them."""
    wanted = _wanted(request)
    purpose = request.parameters.get("purpose", "remark")
    if purpose not in PURPOSES:
        raise KindError(f"there is no text for the purpose '{purpose}'; there is one for {', '.join(PURPOSES)}")
    own = topic_of(request)
    if purpose in FORMS:
        return FORMS[purpose](request, own, lambda: _sentences(own.name, request.language, own.said, "remark", "opening"))
    places = _places(own, request.language, purpose)
    room = request.room
    usual = {
        "description": 3,
        "message": 3,
        "instruction": 2,
        "answer": 2,
        "review": 2,
        "remark": 2,
        "bio": 2,
        "terms": 3,
        "report": 2,
    }.get(purpose, 1)
    if wanted is not None and places:
        each = [sum(map(len, texts)) / len(texts) + 1 for texts in places if texts]
        usual = max(1, round(wanted * len(each) / sum(each)))
    parts: list[list[str]] = []
    left, total = (room if room is not None else 4_000), 0
    count = 0
    while len(parts) < usual or total < request.least:
        texts = places[count % len(places)] if places else ()
        fitting = [one for one in texts if len(one) + (1 if parts else 0) <= left]
        if len(fitting) < max(2, len(texts) // 6) and (parts or not fitting):
            break
        if parts and left < 60:
            break
        # the room is shared out, so that most sentences find a place
        parts.append(fitting)
        left -= max(map(len, fitting)) + 1
        total += min(map(len, fitting)) + 1
        count += 1
        if count > 200:
            break
    if not parts:
        raise KindError(f"no {purpose} has at most {room} characters")
    if total < request.least:
        raise KindError(f"no {purpose} has at least {request.least} characters")
    if wanted is not None:
        return _joined(parts, 0)
    if request.least == 0 and purpose in ("terms",):
        parts = parts[:3]
    optional = len(parts) - 1 if request.least == 0 and purpose in ("remark", "answer", "review", "bio", "report") else 0
    if purpose == "description" and len(parts) > 2 and request.least == 0:
        optional = 1
    if request.differ:  # a text without a part could be met twice
        optional = 0
    return _joined(parts, optional)


def _wanted(request: Request) -> int | None:
    """How many characters are asked for, about."""
    said = request.parameters.get("characters")
    if said is not None and not (said.isdigit() and int(said) > 0):
        raise KindError(f"characters: {said}: write about how many, as in 120")
    return None if said is None else int(said)


@declare("remark", "What somebody notes about a row.", parameters=("topic", "language", "characters"))
def remark(request: Request) -> Values:
    return text(_with(request, purpose="remark"))  # type: ignore[return-value]


@declare("notice", "A line that tells people something.", parameters=("topic", "language", "characters"))
def notice(request: Request) -> Values:
    return text(_with(request, purpose="title"))  # type: ignore[return-value]


def _with(request: Request, **parameters: str) -> Request:
    return replace(request, parameters={**request.parameters, **parameters})


_TONES = ("poor", "fair", "good")


@declare(
    "review", "An opinion whose tone follows a rating that another field holds.",
    parameters=("of", "least", "most", "part", "topic", "language"),
)  # fmt: skip
def review(request: Request) -> FromText:
    """`least` and `most`: the ends of the rating, 1 and 5 when not given. `part: title`: a few words."""
    if "of" not in request.parameters:
        raise KindError("it needs the field that holds the rating: {review: {of: FIELD}}")
    try:
        least, most = (float(request.parameters.get(name, usual)) for name, usual in (("least", "1"), ("most", "5")))
    except ValueError:
        raise KindError("least and most are numbers, as in {review: {of: FIELD, most: 10}}") from None
    if not least < most:
        raise KindError(f"least: {least:g} is not below most: {most:g}")
    own, places = topic_of(request), ["title"] if request.parameters.get("part") == "title" else ["opening", "detail"]
    room = 4_000 if request.room is None else request.room
    pools = []
    for tone in _TONES:
        texts = [_sentences(own.name, request.language, own.said, f"review {tone}", place) for place in places]
        whole = [f"{one} {other}".strip() for one in texts[0] for other in ("", *(texts[1][:40] if texts[1:] else ()))]
        pools.append([one for one in whole if request.least <= len(one) <= room])
    if not all(pools):
        raise KindError(f"no review has at most {room} characters")
    sizes = np.array([len(pool) for pool in pools], np.uint64)
    starts = np.cumsum(sizes) - sizes
    taken = taker(text_pool([one for pool in pools for one in pool]))

    def convert(ratings: Any, words: Words) -> Any:
        known = pc.fill_null(ratings.cast(pa.float64()), (least + most) / 2).to_numpy(zero_copy_only=False)
        tone = np.searchsorted([0.4, 0.7], (known - least) / (most - least), side="right")
        return taken(starts[tone] + (words >> np.uint64(11)) % sizes[tone])

    return FromText(field=request.parameters["of"], convert=convert, drawn=True, of_numbers=True)
