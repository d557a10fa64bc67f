"""How often positions of a space are drawn: with a tail, about the middle, as prices end, at hours when people are awake.

Words of 64 even bits become positions by additions, multiplications and roots alone, so that every machine draws the same.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import lru_cache
from math import comb
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..randomness import Words

Draw = Callable[[Words], Words]
SHAPES = ("even", "tail", "low", "hump", "price", "round", "salary", "decades")
_UNIT = 2.0**-53


def _share(words: Words) -> NDArray[np.float64]:
    return np.asarray((words >> np.uint64(11)).astype(np.float64) * _UNIT)


def _cubed(words: Words) -> NDArray[np.float64]:
    return np.asarray(_share(words) ** 3)


def _at(share: NDArray[np.float64], space: int) -> Words:
    return np.minimum((share * space).astype(np.uint64), np.uint64(space - 1))


def _hump(words: Words) -> NDArray[np.float64]:
    """The mean of four even numbers of 16 bits: near to normal (Irwin and Hall)."""
    parts = [(words >> np.uint64(shift)) & np.uint64(0xFFFF) for shift in (0, 16, 32, 48)]
    return np.asarray((parts[0] + parts[1] + parts[2] + parts[3]).astype(np.float64) / (4 * 65536.0))


@lru_cache(maxsize=1)
def _quantiles_of_hump() -> NDArray[np.float64]:
    """Where the mean of four even numbers lies, at even shares of the whole (Irwin 1927, Hall 1927)."""
    return np.array([0.0, *(_quantile(at / _KNOTS) for at in range(1, _KNOTS)), 1.0])


def _quantile(share: float) -> float:
    low, high = 0.0, 4.0
    for _ in range(48):
        middle = (low + high) / 2
        below = sum((-1) ** k * comb(4, k) * (middle - k) ** 4 for k in range(5) if middle > k) / 24
        low, high = (middle, high) if below < share else (low, middle)
    return float(f"{low / 4:.12g}")


_KNOTS = 512


def _ranked_hump(words: Words) -> NDArray[np.float64]:
    """The same distribution, rising with the word."""
    return np.asarray(np.interp(_share(words), np.arange(_KNOTS + 1) / _KNOTS, _quantiles_of_hump()))


def draw_of(shape: str, space: int, first: int = 0, step: int = 1, scale: int = 0, *, ranked: bool = False) -> Draw | None:
    """A way of drawing positions below `space`; None for even ones. Position p stands for first + p · step units, of which
    10^`scale` make one. `ranked`: a greater word gives no lesser position."""
    hump = _ranked_hump if ranked else _hump
    match shape:
        case "tail":
            return lambda words: _at(_share(words) ** 3, space)
        case "low":
            return lambda words: _at(_share(words) ** 8, space)
        case "hump":
            return lambda words: _at(hump(words), space)
        case "decades":
            return _over_decades(space, first, step, hump)
        case "price" | "round" | "salary":
            spread: Callable[[Words], NDArray[np.float64]] = hump if shape == "salary" else _cubed
            endings = _prices if shape == "price" else _round

            def draw(words: Words) -> Words:
                units = first + _at(spread(words), space).astype(np.int64) * step
                made = endings(units, words, 10**scale)
                return np.clip((made - first) // step, 0, space - 1).astype(np.uint64)

            return draw
    return None


def _over_decades(space: int, first: int, step: int, hump: Callable[[Words], NDArray[np.float64]]) -> Draw:
    """Near to normal over the logarithms, as the sizes of files are: as many below the middle of the decades as above it."""
    least, most = max(first, 1), first + (space - 1) * step
    count = 64
    shares = np.linspace(0.0, 1.0, count + 1)
    knots = np.round((np.round(least * (most / least) ** shares) - first) / step)  # whole positions, the same on every machine

    def draw(words: Words) -> Words:
        positions = np.interp(hump(words), shares, knots).astype(np.uint64)
        return np.asarray(np.minimum(positions, np.uint64(space - 1)))

    return draw


def _prices(units: NDArray[np.int64], words: Words, one: int) -> NDArray[np.int64]:
    """Prices as they are set: whole ones, halves, and just below a whole one; large ones in steps of five."""
    if one < 10:
        return np.where(units >= 200 * one, units // (5 * one) * (5 * one), units)
    kind = (words & np.uint64(0xFF)).astype(np.int64)
    whole = units // one * one
    out = np.select(
        [kind < 110, kind < 150, kind < 205],
        [whole, whole + one // 2, whole + one - max(1, one // 100) * (1 + 4 * (kind & 1))],
        units,
    )
    large = units >= 100 * one
    return np.where(large & (kind < 190), units // (5 * one) * (5 * one), out)


def _round(units: NDArray[np.int64], words: Words, one: int) -> NDArray[np.int64]:
    """Numbers of two leading digits, as plans and budgets have them."""
    out = units
    for digits in range(2, 16):
        step = 10 ** (digits - 1)
        here = (units >= step * 10) & (units < step * 100)
        out = np.where(here, units // step * step, out)
    return out


# of 256 moments, how many lie before the end of each hour: few at night, most in the morning and the afternoon
_HOURS = np.cumsum([1, 0, 0, 0, 1, 2, 5, 12, 20, 24, 24, 21, 16, 17, 20, 21, 20, 16, 11, 9, 7, 5, 3, 1])
_HOURS = np.round(_HOURS * 256 / _HOURS[-1]).astype(np.int64)
_DAY = 86_400


def time_of_day(words: Words) -> NDArray[np.int64]:
    """Seconds of a day, most of them when people are awake."""
    small = words.astype(np.uint64) * np.uint64(0xD1B54A32D192ED03)
    hour = np.searchsorted(_HOURS, ((small >> np.uint64(40)) & np.uint64(0xFF)).astype(np.int64), side="right")
    rest = ((small >> np.uint64(20)) & np.uint64(0xFFFFF)).astype(np.int64) * 3600 >> 20
    return np.asarray(np.minimum(hour, 23) * 3600 + rest, np.int64)


def human(start: int, days: int, when: str) -> Draw:
    """Seconds from `start`, a number of seconds since 1970, in so many days: at hours when people are awake, mostly on working
    days; `past`, more of them the later; `early`, more of them the earlier; `around` and `ahead`, most near the middle."""

    def draw(words: Words) -> Words:
        match when:
            case "around" | "ahead":
                share = _hump(words * np.uint64(0x9E3779B97F4A7C15)) * 0.9 + 0.1
            case "early":
                share = np.interp(_share(words), (0.0, 0.85, 1.0), (0.0, 0.6, 1.0))
            case _:
                share = np.sqrt(_share(words))
        day = np.minimum((share * days).astype(np.int64), days - 1)
        small = words.astype(np.uint64) * np.uint64(0xD1B54A32D192ED03)
        weekday = (start // _DAY + day + 3) % 7
        moved = (weekday > 4) & ((small >> np.uint64(60)) < np.uint64(13))
        day = np.clip(np.where(moved, day - (weekday - 4), day), 0, days - 1)
        return np.asarray(day * _DAY + time_of_day(words), np.uint64)

    return draw


# how finely shares of days and of hours are dealt, and told: whole numbers, so that every machine draws the same
_TALL, _WEIGHED = 1 << 30, 1 << 16


def by_rhythm(
    start: int, days: int, growth: float, weekdays: Sequence[float], months: Sequence[float], hours: Sequence[float],
    closed: Sequence[int] = (), bursts: tuple[int, float] = (0, 1.0), seed: int = 0,
) -> Draw:  # fmt: skip
    """Seconds from `start`, a number of seconds since 1970 at midnight, in so many days: as many more at the end than at the
    beginning as `growth` says, and by weights of weekdays (Monday first), months and hours; none on the days `closed`, counted
    from the first. `bursts`: on so many days, which the seed picks, so many times as many."""
    at = np.arange(days)
    dates = (start // _DAY + at).astype("datetime64[D]")
    month = dates.astype("datetime64[M]").astype(np.int64) % 12
    chance = growth ** (at / max(1, days - 1)) * np.take(weekdays, (start // _DAY + at + 3) % 7) * np.take(months, month)
    chance[list(closed)] = 0.0
    lots = mixed(mixed(at.astype(np.uint64) + np.uint64(seed & 0xFFFF_FFFF)))
    busy = np.argsort(np.where(chance > 0, lots >> np.uint64(1), np.uint64(1 << 63)), kind="stable")[: bursts[0]]
    chance[busy] *= bursts[1]
    by_day, by_hour = (_ends_of(weights) for weights in (chance, np.asarray(hours, np.float64)))

    def draw(words: Words) -> Words:
        other = mixed(words)
        day = np.searchsorted(by_day, (words >> np.uint64(34)).astype(np.int64), side="right")
        hour = np.searchsorted(by_hour, (other >> np.uint64(34)).astype(np.int64), side="right")
        rest = (other & np.uint64(0xFFFFF)).astype(np.int64) * 3_600 >> 20
        return np.asarray(day * _DAY + hour * 3_600 + rest, np.uint64)

    return draw


def _ends_of(weights: NDArray[np.float64]) -> NDArray[np.int64]:
    """Where each weight's share of all ends, in parts of `_TALL`."""
    whole = np.cumsum(np.round(weights / weights.max() * _WEIGHED).astype(np.int64))
    return np.asarray(whole * _TALL // whole[-1])


def mixed(words: Words) -> Words:
    """Other bits of the same words (the finalizer of SplitMix64)."""
    out: Any = words ^ (words >> np.uint64(30))
    out = out * np.uint64(0xBF58476D1CE4E5B9)
    out ^= out >> np.uint64(27)
    out = out * np.uint64(0x94D049BB133111EB)
    return np.asarray(out ^ (out >> np.uint64(31)), np.uint64)
