"""Texts by purpose, made of a topic's words: descriptions, remarks, reasons, messages, titles, names and single words.

Sentences are put together beforehand, a few hundred for each place in a text; a text is a choice of one for each place.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from functools import lru_cache
from itertools import combinations
from math import prod
from typing import Any

import numpy as np
import pyarrow as pa

from ..model.types import TEXTS, TypeName
from ..randomness import WIDEST, Key, Words
from ..randomness.mixing import word
from .pools import fold, join, taker, text_pool
from .registry import KindError, Request, Values, declare
from .vocabulary import NEUTRAL, Topic, listed, sentences, templates, topic, topics

PURPOSES = (
    "answer",
    "bio",
    "cancellation",
    "changes",
    "commit",
    "description",
    "error",
    "headers",
    "html",
    "instruction",
    "issue",
    "log-line",
    "message",
    "question",
    "reason",
    "remark",
    "report",
    "review",
    "signoff",
    "slogan",
    "terms",
    "title",
    "trace",
    "vcard",
    "xml",
    "yaml",
)
# where a purpose has no sentences of its own in another language
_LIKE = {
    "answer": "message",
    "instruction": "description",
    "report": "remark",
    "review": "remark",
    "issue": "title",
    "cancellation": "reason",
    "bio": "description",
    "changes": "description",
    "question": "title",
}
_CHOICES = 240  # sentences for each place in a text
_KEY = Key(0x9B05688C2B3E6C1F, 0x1F83D9ABFB41BD6B)


def topic_of(request: Request) -> Topic:
    name = request.parameters.get("topic", request.topic)
    return topic(name) if name in topics() else topic(NEUTRAL)


def _article(noun: str) -> str:
    first = noun[:1].lower()
    spoken = (
        first in "aeio"
        or (first == "u" and not noun.lower().startswith(("uni", "use", "usu", "uti")))
        or noun[:4].lower() in ("hour", "heir")
    )
    letters = noun[:1].isupper() and noun[1:2].isupper() and first in "fhlmnrsx"
    return ("an " if spoken or letters else "a ") + noun


def _is_plural(noun: str) -> bool:
    head = noun.split(" of ")[0].split(" for ")[0].split()[-1]
    return head.endswith("s") and not head.endswith(("ss", "us", "is", "ics", "lens", "gas", "news"))


def _upper(text: str) -> str:
    return text[:1].upper() + text[1:]


def _lower(text: str) -> str:
    """A word within a sentence: what is written in capitals stays."""
    return text if text[1:2].isupper() or text[:1].isdigit() or "-" in text[:3] else text[:1].lower() + text[1:]


def _filled(template: str, words: Mapping[str, Sequence[str]], number: int) -> str:
    """A template with words of its topic; `number` chooses among them."""
    at = word(_KEY, number)
    out = template
    chosen: list[str] = []
    for slot in ("thing", "thing2", "part", "part2", "use", "issue", "kind"):
        for form in (f"{{A {slot}}}", f"{{{_upper(slot)}}}", f"{{{slot}}}"):
            if form not in out:
                continue
            listed = words[slot.rstrip("2")]
            at, turn = divmod(at, len(listed))
            value = next((v for v in (*listed[turn:], *listed[:turn]) if v not in chosen), listed[turn])
            chosen.append(value)
            value = _lower(value)
            if form.startswith("{A "):
                plural = _is_plural(value)
                out = out.replace(form, _upper(value if plural else _article(value)))
            else:
                out = out.replace(form, _upper(value) if form[1].isupper() else value)
            at += 7
    return _upper(out)


@lru_cache(maxsize=1024)
def _sentences(name: str, language: str, purpose: str, place: str) -> tuple[str, ...]:
    """The sentences for one place of a text, those of the topic mixed with each other; different, at most a few hundred."""
    own = topic(name)
    if language != "en":
        key = f"{language} {purpose}" if f"{language} {purpose}" in sentences() else f"{language} {_LIKE.get(purpose, purpose)}"
        if key in sentences():
            return sentences()[key]
    if purpose == "report" or purpose == "changes":
        return own.words("reports")
    if purpose == "question":
        return own.words("questions")
    listed = templates().get(f"{purpose} {place}".strip(), ())
    if not listed:
        return ()
    words = {
        "thing": own.words("things"),
        "part": own.words("parts"),
        "use": own.words("uses"),
        "issue": own.words("issues"),
        "kind": own.words("kinds"),
    }
    made = dict.fromkeys(
        _filled(template, words, 64 * turn + number) for turn in range(40) for number, template in enumerate(listed)
    )
    if purpose in ("reason", "issue") and own.has("reasons"):
        made = dict.fromkeys([*own.words("reasons"), *made])
    return tuple(made)[:_CHOICES]


def _places(name: str, language: str, purpose: str) -> list[tuple[str, ...]]:
    if language != "en" and (f"{language} {purpose}" in sentences() or f"{language} {_LIKE.get(purpose)}" in sentences()):
        every = _sentences(name, language, purpose, "")
        single = purpose in ("title", "reason", "issue", "cancellation", "question")
        parts = 1 if single else 3
        if parts > 1 and len(every) < 24:  # few: most of them may come first
            return [every[: -(len(every) // 3)], every[-(len(every) // 3) :]]
        return [every[at::parts] for at in range(parts)]
    if purpose in ("report", "changes"):
        every = _sentences(name, language, purpose, "")
        return [every[0::2], every[1::2]]
    spread = [_sentences(name, language, purpose, place) for place in ("opening", "detail", "closing")]
    return [one for one in spread if one] or [_sentences(name, language, purpose, "")]


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


@declare("text", "A text by its purpose, in the words of its topic.", parameters=("purpose", "topic"))
def text(request: Request) -> Values:
    purpose = request.parameters.get("purpose", "remark")
    if purpose not in PURPOSES:
        raise KindError(f"there is no text for the purpose '{purpose}'; there is one for {', '.join(PURPOSES)}")
    own = topic_of(request)
    if purpose in _FORMS:
        return _FORMS[purpose](request, own)
    places = _places(own.name, request.language, purpose)
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
    if request.least == 0 and purpose in ("terms",):
        parts = parts[:3]
    optional = len(parts) - 1 if request.least == 0 and purpose in ("remark", "answer", "review", "bio", "report") else 0
    if purpose == "description" and len(parts) > 2 and request.least == 0:
        optional = 1
    if request.differ:  # a text without a part could be met twice
        optional = 0
    return _joined(parts, optional)


def _only(texts: Sequence[str], request: Request, what: str) -> Values:
    fitting = [one for one in dict.fromkeys(texts) if request.fits(len(one))]
    if not fitting:
        raise KindError(f"no {what} has at most {request.room} characters")
    return Values(space=len(fitting), decode=taker(text_pool(fitting)))


def _made(request: Request, own: Topic, form: Callable[[str, str, str], str], what: str) -> Values:
    things, remarks = own.words("things"), _sentences(own.name, request.language, "remark", "opening")
    texts = [
        form(_upper(thing), one, two) for thing in things[:20] for one, two in zip(remarks[:40:2], remarks[1:40:2], strict=False)
    ]
    return _only(texts, request, what)


_FORMS: dict[str, Callable[[Request, Topic], Values]] = {
    "html": lambda request, own: _made(request, own, lambda t, a, b: f"<h2>{t}</h2><p>{a} {b}</p>", "page"),
    "xml": lambda request, own: _made(
        request, own, lambda t, a, b: f"<entry><title>{t}</title><note>{a}</note></entry>", "document"
    ),
    "yaml": lambda request, own: _made(request, own, lambda t, a, b: f"title: {t}\nnote: {a}\n", "document"),
    "trace": lambda request, own: _only(
        [
            f'Traceback (most recent call last):\n  File "{module}.py", line {line}, in {name}\n{error}: {said}'
            for module in ("worker", "views", "tasks", "export", "models")
            for line in range(17, 400, 29)
            for name in ("run", "load", "handle")
            for error, said in (("ValueError", "invalid date"), ("KeyError", "'amount'"), ("TimeoutError", "no answer in 30 s"))
        ],
        request,
        "trace",
    ),
    "headers": lambda request, own: _only(
        [
            f"Received: from mail{n}.example.com\nContent-Type: text/{kind}; charset=utf-8\nX-Priority: {p}"
            for n in range(1, 60)
            for kind in ("plain", "html")
            for p in (1, 3, 5)
        ],
        request,
        "header",
    ),
    "vcard": lambda request, own: _only(
        [
            "BEGIN:VCARD\r\nVERSION:3.0\r\n"
            f"FN:{given} {family}\r\nEMAIL:{fold(given)}.{fold(family)}@example.com\r\nEND:VCARD\r\n"
            for given in _names("given", request.language, 30)
            for family in _names("family", request.language, 40)
        ],
        request,
        "card",
    ),
}


def _names(part: str, language: str, number: int) -> tuple[str, ...]:
    from .people import names_of

    return names_of(language, part)[:number]


@declare("remark", "What somebody notes about a row.", parameters=("topic",))
def remark(request: Request) -> Values:
    return text(_with(request, purpose="remark"))  # type: ignore[return-value]


@declare("notice", "A line that tells people something.", parameters=("topic",))
def notice(request: Request) -> Values:
    return text(_with(request, purpose="title"))  # type: ignore[return-value]


def _with(request: Request, **parameters: str) -> Request:
    from dataclasses import replace

    return replace(request, parameters={**request.parameters, **parameters})


@declare("thing-name", "The name of a thing of the row's trade.", parameters=("topic", "list"))
def thing_name(request: Request) -> Values:
    """`list`: names, or things where the topic has none."""
    own = topic_of(request)
    wanted = request.parameters.get("list", "names")
    names = [
        _upper(name) if wanted not in ("keys",) else name
        for name in (own.words(wanted) if own.has(wanted) else own.words("things"))
    ]
    if len(names) > 8 and all("-" in name for name in names):  # names of programs: either half goes with another one
        halves = [name.lower().split("-", 1) for name in names]
        crossed = [
            f"{one}-{other}"
            for at in range(len(halves))
            for one, other in ((halves[n][0], halves[(n + at) % len(halves)][1]) for n in range(len(halves)))
        ]
        return _numbered([name for name in dict.fromkeys(crossed) if request.fits(len(name))] or _fail(request, "name"), request)
    plain = wanted in ("species", "breeds", "sports", "keys") or any(
        name[:1].islower() or "-" in name for name in names[:3] if own.name == "software"
    )
    names = [name for name in dict.fromkeys(names) if request.fits(len(name))]
    if not names:
        names = [
            _upper(w)
            for w in dict.fromkeys(w for t in own.words("things") for w in t.split())
            if request.fits(len(w)) and len(w) > 2
        ]
    if not names:
        raise KindError(f"no name has at most {request.room} characters")
    if own.has(wanted) and wanted == "names" and not plain and request.rows > len(names):
        things = [_upper(thing) for thing in own.words("things") if request.fits(len(thing)) and request.differ]
        names = list(dict.fromkeys([*names, *things]))
    if not request.differ:
        return Values(space=len(names), decode=taker(text_pool(names)))
    more = (
        []
        if plain or len(names) >= request.rows
        else [
            f"{quality} {_lower(name)}"
            for name in names
            for quality in listed("qualities")
            if request.fits(len(quality) + 1 + len(name))
        ]
    )
    return _numbered(list(dict.fromkeys([*names, *more])), request)


def _numbered(names: list[str], request: Request) -> Values:
    """The names, and again with numbers where rows that must differ are more."""
    apart = list({fold(name): name for name in reversed(names)}.values())[::-1]
    count = len(apart)
    longest = max(map(len, apart))
    pool = taker(text_pool(apart))
    digits = 9 if request.room is None else min(9, request.room - longest - 1)
    if not request.differ or request.rows <= count or digits < 1:
        return Values(space=count, decode=pool, distinct_folded=True)
    turns = min(10**digits - 1, WIDEST // count, -(-request.rows * 2 // count))
    suffix = taker(text_pool("" if n == 0 else f" {n + 1}" for n in range(turns)))

    def decode(positions: Words) -> Any:
        turn = positions // np.uint64(count)
        return join(pool(positions - turn * np.uint64(count)), suffix(turn))

    return Values(space=count * turns, decode=decode, distinct_folded=True)


@declare("label", "A short name for a thing.", parameters=("topic",))
def label(request: Request) -> Values:
    return thing_name(request)  # type: ignore[return-value]


@declare(
    "term",
    "A word of the row's trade: of its kinds, materials, parts, places; or a list of some.",
    suits=TEXTS | {TypeName.ARRAY},
    parameters=("list", "topic"),
)
def term(request: Request) -> Values:
    own = topic_of(request)
    listed = list(dict.fromkeys(own.words(request.parameters.get("list", "kinds"))))
    if request.type.name is TypeName.ARRAY:
        return lists_of(listed, request)
    fitting = [one for one in listed if request.fits(len(one))]
    if not fitting:
        raise KindError(f"none has at most {request.room} characters")
    made = Values(space=len(fitting), decode=taker(text_pool(fitting)))
    if request.differ:
        return _numbered(fitting, request)
    return made


def lists_of(listed: Sequence[str], request: Request) -> Values:
    """Arrays of one to three different texts, in the order in which these are listed."""
    arrow = request.type.arrow()
    if not pa.types.is_string(arrow.value_type):
        raise KindError("its elements are no texts")
    lists = [list(chosen) for size in (2, 1, 3) for chosen in combinations(listed[:12], size)]
    pool = pa.array(lists, arrow)
    return Values(space=len(lists), decode=lambda positions: pool.take(pa.array(positions.astype(np.int64))))


@lru_cache(maxsize=64)
def _firms(language: str, name: str) -> tuple[str, ...]:
    families = _names("family", language, 150)
    own = listed(f"trades of {name}")
    trades = own or listed("trades")
    from .places import atlas

    places = atlas(language, False)
    towns = [town for town in places.of(places.towns.names)[:120] if " " not in town and "-" not in town]
    forms = listed(f"firms {language}", "firms en")
    if language == "en" and own:
        forms = ("{family} {trade}", "{town} {trade}", "{family} & {other} {trade}")
    made = []
    for number in range(1400):
        at = word(_KEY, number * 31 + len(name))
        form = forms[at % len(forms)]
        made.append(
            form.format(
                family=families[at // 7 % len(families)],
                other=families[at // 1409 % len(families)],
                trade=trades[at // 131 % len(trades)],
                town=towns[at // 977 % len(towns)],
            )
        )
    return tuple({fold(one): one for one in made}.values())


@declare(
    "organization",
    "The name of a made-up firm, in the form of the language and the row's trade.",
    standard="HTML autofill",
    parameters=("trade", "topic"),
)
def organization(request: Request) -> Values:
    name = "banking" if request.parameters.get("trade") == "bank" else topic_of(request).name
    names = [one for one in _firms(request.language, name) if request.fits(len(one))]
    if not names:
        names = [one for one in _names("family", request.language, 150) if request.fits(len(one))]
    if not names:
        raise KindError(f"no firm has at most {request.room} characters")
    return _numbered(names, request)


@declare("brand", "The name of a maker or a brand that does not exist.")
def brand(request: Request) -> Values:
    return _numbered([one for one in listed("brands") if request.fits(len(one))] or _fail(request, "brand"), request)


def _fail(request: Request, what: str) -> list[str]:
    raise KindError(f"no {what} has at most {request.room} characters")


@declare("job-title", "What somebody works as.")
def job_title(request: Request) -> Values:
    return _numbered([one for one in listed("jobs") if request.fits(len(one))] or _fail(request, "job"), request)


@declare("colour-name", "The name of a colour.")
def colour(request: Request) -> Values:
    names = listed(f"colours {request.language}", "colours en")
    return _numbered([one for one in names if request.fits(len(one))] or _fail(request, "colour"), request)


@declare("latin-name", "A name in the form of a species': genus and epithet.", standard="binomial nomenclature")
def latin_name(request: Request) -> Values:
    return _only([f"{genus} {epithet}" for epithet in listed("epithets") for genus in listed("genera")], request, "species")


@declare("other-person", "The full name of a person beside the one that the row is about.")
def other_person(request: Request) -> Values:
    given, family = _names("given", request.language, 200), _names("family", request.language, 300)
    given, family = given[::-1], family[::-1]
    longest = max(map(len, given)) + max(map(len, family)) + 1
    if not request.fits(longest):
        short = (request.room or 0) // 2 - 1
        given, family = (tuple(n for n in names if len(n) <= short) for names in (given, family))
    if not given or not family:
        raise KindError(f"no name has at most {request.room} characters")
    first, last = taker(text_pool(f"{name} " for name in given)), taker(text_pool(family))
    count = np.uint64(len(given))

    def decode(positions: Words) -> Any:
        rest = positions // count
        return join(first(positions - rest * count), last(rest))

    return Values(space=len(given) * len(family), decode=decode)
