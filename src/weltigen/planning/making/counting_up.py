"""Numbers that count up over the rows of an entity: within what is declared, past what fixed rows give."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from ...expression import NotEvaluableError
from ...model import Field
from ...model.origins import Origin
from ...plan.entity import EntityPlan
from ...plan.fields import Counting, FieldPlan
from ...randomness import Gaps, key
from ...values import Axis
from ...values.registry import KindError
from .sieving import MOST_NEEDED, Keeps

_CHUNK = 1 << 16
_LOOKED = 1 << 24  # numbers that are looked at for those that keep a check


def counting_up(
    entity_plan: EntityPlan, base: FieldPlan, seed: int, keeps: Keeps | None = None, named: Sequence[int] = ()
) -> Counting:
    """From the least number on, in steps; a list of numbers where a check lets only some pass, or where the highest number is so
    near that those below what fixed rows give are needed too. `named` are numbers that checks speak of."""
    axis, step = base.axis, max(1, base.step)
    assert axis is not None
    first = entity_plan.origin or entity_plan
    given = [int(text) for row in first.entity.fixed if (text := dict(row).get(base.field.name)) is not None]
    shift = first.fixed if given and len(given) == first.fixed else 0
    rows = entity_plan.earlier_rows + entity_plan.total - shift
    high = axis.natural_limits[1] if base.high is None else base.high
    low = base.low if base.low is not None else min(1, high - (rows - 1) * step)
    low = max(low, axis.natural_limits[0])
    if not _says_least(base.field) and 1 + (rows - 1) * step <= high:
        low = max(low, 1)  # keys begin with 1 where 0 would do, too
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
    below = low if base.low is not None else max(axis.natural_limits[0], low - wanted * step)  # where those above are too few
    numbers = (
        _numbers(least, -(-below // step) * step, high, step, wanted, set(given), axis, keeps, named)
        if space
        else np.zeros(0, np.int64)
    )
    room = int(numbers.size) if gaps is None else gaps.rows_within(int(numbers.size))
    return Counting(first=shift, step=step, room=room, numbers=numbers, gaps=gaps, shift=shift)


def _says_least(field: Field) -> bool:
    """Whether a world file says where a field's values begin."""
    return any(
        not bound.path and bound.comparison in (">", ">=") and bound.origin is Origin.SAID for bound in field.limits.bounds
    )


def _numbers(
    least: int, low: int, high: int, step: int, wanted: int, given: set[int], axis: Axis, keeps: Keeps | None,
    named: Sequence[int] = (),
) -> NDArray[np.int64]:  # fmt: skip
    """The first numbers that pass: from `least` up, then those below it that no fixed row gives. Where none is found so near,
    those from the numbers on that checks name."""
    given_numbers = np.array(sorted(given), np.int64)
    found: list[NDArray[np.int64]] = []
    size = 0
    far = [(-(-(number - step) // step) * step, high) for number in sorted(named) if least + _LOOKED * step < number <= high]
    for start, end in ((least, high), (low, min(least - 1, high)), *far):
        if (start, end) in far and size:
            break
        looked = 0
        while start <= end and size < wanted and looked < _LOOKED:
            last = min(end, start + (_CHUNK - 1) * step)
            numbers = start + np.arange((last - start) // step + 1, dtype=np.int64) * step
            start += numbers.size * step
            looked += numbers.size
            if given:
                numbers = numbers[~np.isin(numbers, given_numbers)]
            if keeps is not None and numbers.size:
                try:
                    numbers = numbers[keeps(axis.column(numbers))]
                except NotEvaluableError:
                    keeps = None
            found.append(numbers)
            size += numbers.size
    return np.concatenate(found)[:wanted] if found else np.zeros(0, np.int64)
