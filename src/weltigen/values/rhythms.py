"""Moments by a profile: growth over the window, weekdays, months and hours, and days that are left out."""

from __future__ import annotations

from dataclasses import replace
from datetime import date, datetime, timedelta

import numpy as np

from ..model.types import MOMENTS, TypeName
from ..randomness import Words
from .atlas import home_of
from .axis import SECOND
from .holidays import countries_with_holidays, holidays
from .quantities import ends_of, ordered_axis, stepped
from .registry import KindError, Request, Values, declare
from .shapes import by_rhythm


@declare("rhythm", "A time within the window by a profile: growth over it, and weights of weekdays, months and hours.",
         suits=MOMENTS, standard="ISO 8601",
         parameters=("growth", "weekdays", "months", "hours", "closed", "bursts"))  # fmt: skip
def rhythm(request: Request) -> Values:
    """`growth: 2`: twice as many at the end of the window as at its beginning. The others are lists of weights, apart by
    blanks: of seven weekdays from Monday on, of twelve months, of twenty-four hours. `closed: DE`: none on public holidays there;
    `closed: home` in the country of the language. `bursts: 6 10`: on six days, which the seed picks, ten times as many."""
    axis = ordered_axis(request)
    start, end = request.window
    unit = 1 if request.type.name is TypeName.DATE else SECOND
    first, last = axis.units(start), axis.units(end) - unit
    low, high = ends_of(request, first, last)
    values = stepped(axis, low, high, max(unit, request.step or 1))
    weights = {name: _weights(request, name, number) for name, number in (("weekdays", 7), ("months", 12), ("hours", 24))}
    growth = _growth(request)
    if (low, high) != (first, last) or request.step is not None:  # somebody set ends of their own
        return values
    midnight = int((start - datetime(1970, 1, 1)).total_seconds()) // 86_400 * 86_400
    days = max(1, -(-(end - start) // timedelta(days=1)))
    drawn = by_rhythm(
        midnight,
        days,
        growth,
        **weights,
        closed=_closed(request, start.date(), days),
        bursts=_bursts(request, days),
        seed=request.seed,
    )
    late = np.uint64(int((start - datetime(1970, 1, 1)).total_seconds()) - midnight)

    def draw(words: Words) -> Words:
        seconds = drawn(words)
        at = seconds // np.uint64(86_400) if unit == 1 else seconds - np.minimum(late, seconds)
        return np.minimum(at, np.uint64(values.space - 1))

    return replace(values, draw=draw)


def _weights(request: Request, name: str, number: int) -> tuple[float, ...]:
    """Weights of one profile; all the same where it is left out."""
    text = request.parameters.get(name)
    if text is None:
        return (1.0,) * number
    try:
        weights = tuple(map(float, text.split()))
    except ValueError:
        weights = ()
    if len(weights) != number or not all(0 <= weight < float("inf") for weight in weights) or not any(weights):
        raise KindError(f"{name}: {text}: write {number} weights, 0 or more, apart by blanks")
    return weights


def _closed(request: Request, first: date, days: int) -> list[int]:
    """The public holidays among so many days, counted from the first."""
    said = request.parameters.get("closed")
    if said is None:
        return []
    country = home_of(request.locale) if said == "home" else said
    if country not in countries_with_holidays():
        raise KindError(f"closed: {said}: no holidays are known of it; they are of {', '.join(countries_with_holidays())}")
    years = range(first.year, (first + timedelta(days=days)).year + 1)
    told = ((day - first).days for year in years for day in holidays(country, year))
    return sorted(at for at in told if 0 <= at < days)


def _growth(request: Request) -> float:
    text = request.parameters.get("growth", "1")
    try:
        growth = float(text)
    except ValueError:
        growth = 0.0
    if not 1e-3 <= growth <= 1e3:
        raise KindError(f"growth: {text}: how many times as many there are at the end of the window, 0.001 to 1000")
    return growth


def _bursts(request: Request, days: int) -> tuple[int, float]:
    text = request.parameters.get("bursts")
    if text is None:
        return 0, 1.0
    try:
        number, times = int(text.split()[0]), float(" ".join(text.split()[1:]))
    except (ValueError, IndexError):
        number, times = -1, 0.0
    if not (0 <= number <= days and 1 <= times <= 1e4):
        raise KindError(f"bursts: {text}: write how many days of the {days} there are, and how many times as many on each: 6 10")
    return number, times
