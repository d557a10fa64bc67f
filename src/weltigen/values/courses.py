"""What is measured again and again: each sensor, meter or gauge has a level of its own, and its values go up and down with the
hour and the season, wander for days, rise over the years and are now and then far off.

Sums, products and roots alone, so that every machine draws the same.
"""

from __future__ import annotations

from datetime import datetime
from hashlib import blake2b
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from numpy.typing import NDArray

from ..model.types import NUMBERS
from ..randomness import Words
from ..randomness.quantiles import look_up, standard_normal
from .axis import SECOND, axis_of
from .registry import FromText, KindError, Request, declare
from .shapes import mixed

_DAY = 86_400 * SECOND
_YEAR = 365.2425 * _DAY
_WANDERING = 1.5 * _DAY  # from one turn of what wanders to the next
_MIDSUMMER = 200 / 365.2425  # where in the year the yearly swing is highest, in the northern half of the world
_IN_THOUSANDTHS = 1e11
_TENTHS = 3  # decimal digits that a value has below the size of the range, where its type does not say
_FAR = 8  # how many times the noise what is far off is away, at least; and half of all that is usual


@declare(
    "course", "A measurement over time: a level for each `per`, its swing over day and year, noise, drift and values far off.",
    suits=NUMBERS,
    parameters=("of", "per", "from", "to", "day", "peak", "year", "rise", "drift", "noise", "outliers", "minimum", "maximum"),
)  # fmt: skip
def course(request: Request) -> FromText:
    """`of`: the field with the moment; `per`: what measures, as in `gauge.id`; each has a level between `from` and `to`. In the
    field's own unit: `day` and `year` are how far the swings go either way, the daily one highest at the hour `peak`, 15 when
    not given; `rise` is by the year, or between two numbers, as in `900 3600`, by a rate of its own for each; `drift` is how far
    it wanders either way within days, `noise` the standard deviation. `outliers`: the share of rows that are far off. What
    would lie below `minimum` or above `maximum` is that. Whole numbers as moments are seconds since 1970, or thousandths."""
    said = request.parameters
    if "of" not in said or "from" not in said or "to" not in said:
        raise KindError("it needs the moment and the levels: {course: {of: FIELD, from: 2, to: 14}}")
    low, high = _number(said, "from"), _number(said, "to")
    if not low <= high:
        raise KindError(f"from: {low:g} is above to: {high:g}")
    size = high - low or abs(high) or 1.0
    day, year = (_number(said, name, 0.0) for name in ("day", "year"))
    slow, fast = _two_numbers(said, "rise")
    drift, noise = _number(said, "drift", size / 20), _number(said, "noise", size / 100)
    peak, far = _number(said, "peak", 15.0) / 24, _share(said.get("outliers", "0"))
    axis, normal = axis_of(request.type), standard_normal()
    assert axis is not None
    step = request.step if request.step and request.step > 1 else _step(size, axis.scale)
    begin = (request.window[0] - datetime(1970, 1, 1)).total_seconds() * SECOND
    least, most = axis.natural_limits
    least = max(least if request.low is None else request.low, _limit(said, "minimum", axis.scale, least))
    most = min(most if request.high is None else request.high, _limit(said, "maximum", axis.scale, most))
    if least > most:
        raise KindError("no value lies between its minimum and its maximum")
    seed = request.seed ^ int.from_bytes(
        blake2b(repr((request.name, *sorted(said.items()))).encode(), digest_size=8).digest(), "little"
    )
    jump = max(_FAR * noise, size / 2 + abs(day) + abs(year) + abs(drift))

    def convert(moments: Any, words: Words, owners: Any = None) -> Any:
        null = np.asarray(moments.is_null())
        at = _instants(moments)
        own = _of_owners(owners, len(at), seed)
        rise = slow if slow == fast else slow + (fast - slow) * _unit(mixed(own))
        values = low + (high - low) * _unit(own) + rise * ((at - begin) / _YEAR)
        values += day * _swing(at / _DAY - peak) + year * _swing(at / _YEAR - _MIDSUMMER)
        values += drift * _wander(own, at) + noise * look_up(normal, words)
        if far:
            more = mixed(words)
            away = np.where(more & np.uint64(1), jump, -jump) * (1 + _unit(mixed(more)))
            values += np.where(_unit(more) < far, away, 0.0)
        units = np.rint(values * 10.0**axis.scale / step).astype(np.int64) * step
        return axis.column(np.clip(units, -(-least // step) * step, most // step * step), null)

    return FromText(field=said["of"], beside=said.get("per"), convert=convert, drawn=True, of_moments=True, of_numbers=True)


def _number(said: Any, name: str, usual: float = 0.0) -> float:
    try:
        return float(said.get(name, usual))
    except ValueError:
        raise KindError(f"{name}: {said[name]} is no number") from None


def _two_numbers(said: Any, name: str) -> tuple[float, float]:
    """A number, or two that the one for each owner lies between."""
    try:
        first, *more = map(float, said.get(name, "0").split())
        second = first if not more else more[0]
    except ValueError:
        first, second, more = 1, 0, [0]
    if len(more) > 1 or first > second:
        raise KindError(f"{name}: {said[name]} is no number, and no two numbers such as 900 3600")
    return first, second


def _limit(said: Any, name: str, scale: int, usual: int) -> int:
    return round(_number(said, name) * 10.0**scale) if name in said else usual


def _instants(moments: Any) -> NDArray[np.float64]:
    """Microseconds since 1970; of whole numbers, which are seconds or, from a hundred thousand million on, thousandths."""
    if not pa.types.is_temporal(moments.type):
        told = np.asarray(pc.fill_null(moments, 0)).astype(np.float64)
        return np.where(np.abs(told) < _IN_THOUSANDTHS, told * SECOND, told * (SECOND // 1000))
    return np.asarray(pc.fill_null(moments.cast(pa.timestamp("us")).cast(pa.int64()), 0)).astype(np.float64)


def _share(text: str) -> float:
    try:
        share = float(text.removesuffix("%").strip()) / (100 if text.endswith("%") else 1)
    except ValueError:
        share = -1.0
    if not 0 <= share <= 1:
        raise KindError(f"outliers: {text} is no share such as 0.5% or 0.005")
    return share


def _step(size: float, scale: int) -> int:
    """Units from one value to the next: of the type's own digits, no finer than a thousandth of the range where it has many."""
    step = 1
    while step * 10.0 ** (_TENTHS - scale) * 10 <= size:
        step *= 10
    return step if scale > _TENTHS else 1


def _unit(words: Words) -> NDArray[np.float64]:
    return np.asarray((words >> np.uint64(11)).astype(np.float64) * 2.0**-53)


def _of_owners(owners: Any, rows: int, seed: int) -> Words:
    """A random word for each owner, the same in all of its rows."""
    salt = np.uint64((seed + 0x9E37_79B9_7F4A_7C15) & 0xFFFF_FFFF_FFFF_FFFF)
    if owners is None:
        return np.asarray(mixed(np.full(rows, salt, np.uint64)))
    if pa.types.is_integer(owners.type):
        return np.asarray(mixed(mixed(np.asarray(pc.fill_null(owners.cast(pa.int64()), 0)).view(np.uint64)) ^ salt))
    told = (owners.combine_chunks() if isinstance(owners, pa.ChunkedArray) else owners).dictionary_encode("encode")
    known = [int.from_bytes(blake2b(str(one).encode(), digest_size=8).digest(), "little") for one in told.dictionary.to_pylist()]
    return np.asarray(mixed(np.array(known, np.uint64)[np.asarray(told.indices)] ^ salt))


def _swing(turns: NDArray[np.float64]) -> NDArray[np.float64]:
    """1 at whole turns, -1 between them, smooth as a cosine."""
    return _smooth(np.abs(2 * (turns - np.floor(turns)) - 1)) * 2 - 1


def _smooth(part: NDArray[np.float64]) -> NDArray[np.float64]:
    return np.asarray(part * part * (3 - 2 * part))


def _wander(own: Words, at: NDArray[np.float64]) -> NDArray[np.float64]:
    """Between -1 and 1, by the owner: random at each turn, smooth between two."""
    turns = at / _WANDERING
    whole = np.floor(turns)
    part = _smooth(turns - whole)
    number = whole.astype(np.int64).view(np.uint64)
    before, after = (_unit(mixed(own ^ mixed(number + np.uint64(one)))) for one in (0, 1))
    return np.asarray((before + (after - before) * part) * 2 - 1)
