"""What is written in turn about one matter: who writes, when, and what, each message an answer to the one before.

All follows from whose rows they are and from which of these a row is, so that any message can be made by itself.
"""

from __future__ import annotations

from collections.abc import Sequence
from functools import lru_cache
from importlib.resources import files
from typing import Any, NamedTuple

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from numpy.typing import NDArray

from ..model.literals import read_span
from ..model.types import MOMENTS, TEXTS, TypeName
from ..randomness import Words
from .axis import SECOND, axis_of
from .pools import taker, text_pool
from .registry import FromText, KindError, Request, Turn, declare
from .shapes import mixed

_CHANGES = 0.86  # how often the other side writes next
_AT_ONCE = 0.02  # so soon after a matter was opened its first message stands there, in parts of what is usual
_SOLVED_AT = 3  # from this message on a matter may be solved
_SIDES, _MATTERS, _GAPS = (np.uint64(number) for number in (0x51DE, 0x7A1B, 0x6A9))
_OPENING, _ASKS, _ANSWERS, _WAITS, _SOLVES, _THANKS, _NUDGES = range(7)


def _units(turn: Turn, rank: int, salt: np.uint64, seed: int) -> NDArray[np.float64]:
    """A number from 0 to 1 for the message of a rank of each row's owner."""
    words = _numbered(turn, np.uint64(rank)) ^ salt ^ np.uint64(seed & 0xFFFF_FFFF)
    return np.asarray((mixed(words) >> np.uint64(11)).astype(np.float64) * 2.0**-53)


def _numbered(turn: Turn, rank: Any) -> Words:
    """A random word for each message, by its owner and its rank."""
    return np.asarray(mixed(turn.owner.astype(np.uint64) * np.uint64(4096) + rank), np.uint64)


def _ours(turn: Turn, seed: int) -> NDArray[np.bool_]:
    """Whether the side that was written to writes, by the row's rank: the first message is never theirs."""
    side, out = np.zeros(len(turn.rank), bool), np.zeros(len(turn.rank), bool)
    for rank in range(1, int(turn.rank.max(initial=0)) + 1):
        side = side ^ ((_units(turn, rank, _SIDES, seed) < _CHANGES) | (rank == 1))
        out = np.where(turn.rank == rank, side, out)
    return out


@declare("side", "Which of two sides writes, of what is written in turn about one matter.",
         suits=TEXTS | {TypeName.BOOLEAN, TypeName.ENUM}, parameters=("of", "first", "then"))  # fmt: skip
def side(request: Request) -> FromText:
    """`first` is the value of whoever begins, `then` that of the other side; `of` is the reference to what it is all about."""
    told = [request.parameters.get(name) for name in ("first", "then")]
    if None in told or "of" not in request.parameters:
        raise KindError("it needs the values of both sides: {side: {of: ticket_id, first: customer, then: agent}}")
    arrow = request.type.arrow()
    truth = request.type.name is TypeName.BOOLEAN
    values = pa.array([str(one).lower() == "true" for one in told] if truth else told).cast(arrow)

    def convert(_: Any, turn: Turn) -> Any:
        return values.take(pa.array(_ours(turn, request.seed).astype(np.int64)))

    return FromText(field=request.parameters["of"], convert=convert, in_turn=True)


@declare("turns", "Moments of an owner's rows, each later than the one before.",
         suits=MOMENTS - {TypeName.TIME}, parameters=("of", "until", "usually"))  # fmt: skip
def turns(request: Request) -> FromText:
    """`of` is the moment at which all began, as in `ticket.opened_at`, and `usually` how long it takes until the next, a few
    hours when not given; where there is an `until`, all lie before it."""
    if "of" not in request.parameters:
        raise KindError("it needs the moment at which all began: {turns: {of: ticket.opened_at}}")
    try:
        usually = read_span(request.parameters.get("usually", "5 hours")).total_seconds() * SECOND
    except ValueError as error:
        raise KindError(f"usually: {error}") from None
    axis = axis_of(request.type)
    assert axis is not None
    unit = 86_400 * SECOND if request.type.name is TypeName.DATE else 1

    def convert(begun: Any, turn: Turn, until: Any = None) -> Any:
        null = np.asarray(begun.is_null())
        start = np.asarray(pc.fill_null(begun.cast(pa.timestamp("us")).cast(pa.int64()), 0))
        passed, whole = np.zeros(len(start)), np.zeros(len(start))
        for rank in range(int(turn.count.max(initial=0)) + 1):
            units = _units(turn, rank, _GAPS, request.seed)
            gap = (_gap(units) if rank else units * _AT_ONCE) * usually
            passed += np.where(rank <= turn.rank, gap, 0.0)
            whole += np.where(rank <= turn.count, gap, 0.0)
        if until is not None:
            end = np.asarray(pc.fill_null(until.cast(pa.timestamp("us")).cast(pa.int64()), 0))
            held = np.asarray(until.is_valid())
            passed = np.where(held, (end - start) * (passed / whole), passed)
        at = start + (np.rint(passed / SECOND) * SECOND).astype(np.int64)
        return axis.column(at // unit, null)

    return FromText(field=request.parameters["of"], beside=request.parameters.get("until"), convert=convert, in_turn=True,
                    of_moments=True)  # fmt: skip


def _gap(units: NDArray[np.float64]) -> NDArray[np.float64]:
    """How long until the next message, in parts of what is usual: mostly less, now and then some days."""
    return 0.02 + 0.9 * units + 9.0 * units**12


class _Written(NamedTuple):
    """What people write in a language: by part its sentences, and the answers to what is asked."""

    parts: dict[str, tuple[str, ...]]
    answers: tuple[str, ...]


@lru_cache(maxsize=4)
def _written(language: str) -> _Written:
    lines = (files("weltigen.values") / "data" / "threads.txt").read_text("utf-8").splitlines()
    own, parts = "", {}
    for line in lines:
        if line.startswith("["):
            own = line.strip("[]")
        elif own == language and not line.startswith("#"):
            part, _, texts = line.partition(": ")
            parts[part] = tuple(texts.split("; "))
    asked = [pair.split(" => ") for pair in parts["ask"]]
    return _Written(parts | {"ask": tuple(question for question, _ in asked)}, tuple(answer for _, answer in asked))


def questions_and_answers(language: str) -> tuple[tuple[str, ...], tuple[str, ...]]:
    """What is asked in a language, and what is answered to each."""
    written = _written(language)
    return written.parts["ask"], written.answers


@declare("thread", "What is written in turn about one matter: it is told, asked about, answered, put right, and thanked for.",
         parameters=("of", "language"))  # fmt: skip
def thread(request: Request) -> FromText:
    """`of` is the text that says what it is about, as in `ticket.subject`. Who writes agrees with the kind `side`."""
    if "of" not in request.parameters:
        raise KindError("it needs the text that says what it is about: {thread: {of: ticket.subject}}")
    if request.room is not None and request.room < _ROOM:
        raise KindError(f"a message takes up to {_ROOM} characters")
    told = request.parameters.get("language", request.language)
    written = _written(told if told in ("en", "de", "fr", "es") else "en")
    takers = {part: taker(text_pool(texts)) for part, texts in {**written.parts, "answers": written.answers}.items()}
    openings = [taker(text_pool(text.split("{}")[at] for text in written.parts["opening"])) for at in (0, 1)]

    def convert(matters: Any, turn: Turn) -> Any:
        code, asked = _codes(turn, request.seed, len(written.answers))
        numbers = np.asarray(
            mixed(mixed(turn.owner.astype(np.uint64) * np.uint64(4096) + turn.rank.astype(np.uint64)) ^ _MATTERS)
        )
        first = code == _OPENING
        body = pa.nulls(len(code), pa.string())
        parts: Sequence[tuple[int, str, Any]] = (
            (_ASKS, "ask", asked), (_ANSWERS, "answers", asked), (_WAITS, "wait", None), (_SOLVES, "solve", None),
            (_THANKS, "thanks", None), (_NUDGES, "nudge", None),
        )  # fmt: skip
        for wanted, part, which in parts:
            at = _below(numbers, len(written.parts.get(part, written.answers)), 3) if which is None else which
            body = pc.if_else(pa.array(code == wanted), takers[part](at), body)
        opened = _below(numbers, len(written.parts["opening"]), 5)
        subject = pc.utf8_rtrim(pc.fill_null(matters.cast(pa.string()), ""), ".!? ")
        opening = pc.binary_join_element_wise(openings[0](opened), subject, openings[1](opened), "")
        detail = takers["detail"](_below(numbers, len(written.parts["detail"]), 7))
        opening = pc.binary_join_element_wise(opening, detail, " ")
        body = pc.if_else(pa.array(first), opening, body)
        hello = takers["hello"](_below(numbers, len(written.parts["hello"]), 11))
        greeted = pc.binary_join_element_wise(hello, body, " ")
        body = pc.if_else(pa.array(first), greeted, body)
        for part, ours in (("ours", True), ("theirs", False)):  # something more, in every other message but the first
            at = _below(numbers, 2 * len(written.parts[part]), 17 + ours)
            said = (_is_ours(code) == ours) & ~first & (at < len(written.parts[part])) & (code != _THANKS)
            longer = pc.binary_join_element_wise(body, takers[part](at % np.uint64(len(written.parts[part]))), " ")
            body = pc.if_else(pa.array(said), longer, body)
        bye = takers["bye"](_below(numbers, len(written.parts["bye"]), 13))
        signed = pc.binary_join_element_wise(body, bye, " ")
        return pc.if_else(pa.array(first | (numbers % np.uint64(3) == 0)), signed, body)

    return FromText(field=request.parameters["of"], convert=convert, in_turn=True)


def _is_ours(code: NDArray[np.int64]) -> NDArray[np.bool_]:
    return np.asarray((code == _ASKS) | (code == _WAITS) | (code == _SOLVES))


_ROOM = 280  # characters of the longest message about a matter of a few words


def _below(words: Words, limit: int, salt: int) -> Words:
    return np.asarray(mixed(words + np.uint64(salt)) % np.uint64(limit), np.uint64)


def _codes(turn: Turn, seed: int, questions: int) -> tuple[NDArray[np.int64], Words]:
    """What each message does, and the question that it asks or answers."""
    size = len(turn.rank)
    ours, code, last_asked = np.zeros(size, bool), np.full(size, _OPENING), np.zeros(size, np.uint64)
    out, asked = code.copy(), last_asked.copy()
    for rank in range(1, int(turn.rank.max(initial=0)) + 1):
        before, changes = code, (_units(turn, rank, _SIDES, seed) < _CHANGES) | (rank == 1)
        ours = ours ^ changes
        chance, end = _units(turn, rank, _MATTERS, seed), turn.count - 1 == rank
        solved = (before == _SOLVES) | (before == _THANKS)
        answer = np.where(~changes, _WAITS, np.where((rank >= _SOLVED_AT) & (end | (chance < 0.5)), _SOLVES, _ASKS))
        reply = np.where(before == _ASKS, _ANSWERS, np.where(before == _SOLVES, _THANKS, _NUDGES))
        code = np.where(ours, np.where(solved & ~changes, _WAITS, answer), np.where(changes, reply, _NUDGES))
        following = (last_asked + 1 + (chance * (questions - 1)).astype(np.uint64)) % np.uint64(questions)
        last_asked = np.where(code == _ASKS, following, last_asked)
        here = turn.rank == rank
        out, asked = np.where(here, code, out), np.where(here, last_asked, asked)
    return out, asked
