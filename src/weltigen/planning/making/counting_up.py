"""Numbers that count up over the rows of an entity: within what is declared, past what fixed rows give."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ...expression import NotEvaluableError
from ...plan.entity import EntityPlan
from ...plan.fields import Counting, FieldPlan
from ...randomness import Gaps, key
from ...values.registry import KindError
from .sieving import MOST_NEEDED, Keeps

_CHUNK = 1 << 16
_LOOKED = 1 << 24  # numbers that are looked at for those that keep a check


def counting_up(entity_plan: EntityPlan, base: FieldPlan, seed: int, keeps: Keeps | None = None) -> Counting:
    """From the least number on, in steps; a list of numbers where a check lets only some pass, or where the highest number is so
    near that those below what fixed rows give are needed too."""
    axis, step = base.axis, max(1, base.step)
    assert axis is not None
    first = entity_plan.origin or entity_plan
    given = [int(text) for row in first.entity.fixed if (text := dict(row).get(base.field.name)) is not None]
    shift = first.fixed if given and len(given) == first.fixed else 0
    rows = entity_plan.earlier_rows + entity_plan.total - shift
    high = axis.natural_limits[1] if base.high is None else base.high
    low = base.low if base.low is not None else min(1, high - (rows - 1) * step)
    said, gaps, more = base.field.numbering, None, 1.0
    if said is not None and said.start is not None:
        if not low <= said.start <= high and (base.low is not None or said.start > high):
            raise KindError(f"it starts at {said.start}, which lies outside of its limits")
        low = said.start
    if said is not None and said.gaps:
        gaps = Gaps(key(seed, entity_plan.name, base.field.name, "gaps"), said.gaps)
        more = 1.0 / (1.0 - said.gaps)
    low = -(-low // step) * step
    least = max([low, *(-(-(number + 1) // step) * step for number in given)])
    space = max(0, (high - low) // step + 1)
    if keeps is None and (gaps is not None or least + (rows - 1) * step <= high):
        room = (high - least) // step + 1
        return Counting(
            first=least - shift * step,
            step=step,
            room=room if gaps is None else shift + gaps.rows_within(room),
            gaps=gaps,
            shift=shift,
        )
    wanted = min(round(rows * more) + 64, MOST_NEEDED) if gaps is not None else min(rows, MOST_NEEDED)
    numbers = _numbers(least, low, high, step, wanted, set(given), axis, keeps) if space else np.zeros(0, np.int64)
    room = int(numbers.size) if gaps is None else gaps.rows_within(int(numbers.size))
    return Counting(first=shift, step=step, room=room, numbers=numbers, gaps=gaps, shift=shift)


def _numbers(
    least: int, low: int, high: int, step: int, wanted: int, given: set[int], axis: object, keeps: Keeps | None
) -> NDArray[np.int64]:
    """The first numbers that pass: from `least` up, then those below it that no fixed row gives."""
    found: list[NDArray[np.int64]] = []
    size = looked = 0
    for start, end in ((least, high), (low, min(least - 1, high))):
        while start <= end and size < wanted and looked < _LOOKED:
            last = min(end, start + (_CHUNK - 1) * step)
            numbers = start + np.arange((last - start) // step + 1, dtype=np.int64) * step
            start += numbers.size * step
            looked += numbers.size
            if given:
                numbers = numbers[~np.isin(numbers, np.array(sorted(given), np.int64))]
            if keeps is not None and numbers.size:
                try:
                    numbers = numbers[keeps(axis.column(numbers))]  # type: ignore[attr-defined]
                except NotEvaluableError:
                    keeps = None
            found.append(numbers)
            size += numbers.size
    return np.concatenate(found)[:wanted] if found else np.zeros(0, np.int64)
