"""Texts that read like English, named by their purpose: sentences put together from parts that agree with each other."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import product
from typing import Any

import numpy as np

from ..randomness import Words
from .pools import join, taker, text_pool
from .registry import KindError, Request, Values, declare

_OPENINGS = (
    "|On the whole, |As so often, |In the end, |This time |Once under way, |For a change, |To be fair, |After a slow start, "
    "|By the afternoon |Early on, |From where we sat, |All told, |Against the forecast, |To our surprise, |For most of the way "
).split("|")
_SUBJECTS = (
    "the crossing|the crew|the cabin|the timetable|the boarding|the view|the weather|the lounge|the galley|the upper deck|"
    "the queue|the gangway|the car deck|the welcome on board|the seating|the crew at the desk|the announcement|the arrival|"
    "the night passage|the morning sailing"
).split("|")
_PREDICATES = (  # each after a subject in the singular
    " was calmer than expected| was worth the wait| felt a little rushed| was better than last year| was much as described| "
    "left nothing to be desired| was the best part of the day| could have been warmer| was kept very clean| "
    "took longer than we hoped| was a pleasant surprise| made up for the delay| was fine with two small children| "
    "was quiet and well kept| was rather crowded| went without a hitch| was noisier than it should be| was just what we needed| "
    "was handled with good humour| was a bit of a muddle"
).split("|")
_CLOSINGS = (
    ".|, and we would come again.|, though the tea was cold.|, and nobody complained.|, which the children loved.|"
    ", so we stayed on deck.|, but the signs could be clearer.|, and the price was fair.|, even in the rain.|"
    ", as the captain had promised.|, and help was always near.|, though the lights went out twice.|, and we slept well.|"
    ", as our neighbours told us it would be.|, to the relief of all.|, except for the stairs."
).split("|")
_NOTICES = (
    "Please have your papers ready|Boarding begins shortly|The service is delayed|Today's plan has changed|"
    "Extra places are free|Mind the wet steps|The office closes early|Lost property is at the desk|Repairs are under way|"
    "A new timetable is in force"
).split("|")


def _sentences(request: Request, *parts: list[str]) -> Values:
    longest = sum(max(map(len, part)) for part in parts)
    if not request.fits(longest):
        # a narrow column gets the shorter entries of each part: the room past the shortest of all is shared out
        least, most = [min(map(len, part)) for part in parts], [max(map(len, part)) for part in parts]
        left = (request.room or 0) - sum(least)
        caps = [low + left * (high - low) // max(1, longest - sum(least)) for low, high in zip(least, most, strict=True)]
        parts = tuple([text for text in part if len(text) <= cap] for part, cap in zip(parts, caps, strict=True))
        if not all(parts):
            raise KindError(f"no sentence has at most {request.room} characters")
    # two halves made beforehand: a join of two pieces costs half of one of four
    half = len(parts) // 2
    first, last = _combined(parts[:half]), _combined(parts[half:])
    first = [text[0].upper() + text[1:] for text in first]
    heads, tails = taker(text_pool(first)), taker(text_pool(last))
    split = np.uint64(len(first))

    def decode(positions: Words) -> Any:
        turn = positions // split
        return join(heads(positions - turn * split), tails(turn))

    return Values(space=len(first) * len(last), decode=decode)


def _combined(parts: Sequence[list[str]]) -> list[str]:
    return ["".join(pieces) for pieces in product(*parts)]


@declare("remark", "A sentence in which somebody says how it went.")
def remark(request: Request) -> Values:
    return _sentences(request, _OPENINGS, _SUBJECTS, _PREDICATES, _CLOSINGS)


@declare("notice", "A sentence that tells people something.")
def notice(request: Request) -> Values:
    return _sentences(request, _NOTICES, [".", " until noon.", " for today.", " until further notice.", " this week."])
