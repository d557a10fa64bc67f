"""What was measured beside what is made: by field, and how far the two lie apart."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from .profile import Children, EntityProfile, FieldProfile


@dataclass(frozen=True, slots=True)
class Compared:
    """One line: of which entity and field, what is told, of the data and of what is made, and how far apart from 0 to 1."""

    where: str
    what: str
    measured: str
    made: str
    apart: float


def compared(measured: Mapping[str, EntityProfile], made: Mapping[str, EntityProfile]) -> list[Compared]:
    """Entity by entity, field by field, as far as both have something to tell."""
    out: list[Compared] = []
    for name, one in measured.items():
        if name not in made:
            continue
        other = made[name]
        for relation in one.children.keys() & other.children.keys():
            out += _children(f"{name}.{relation}", one.children[relation], other.children[relation])
        for field in [field for field in one.fields if field in other.fields]:
            out += _field(f"{name}.{field}", one.fields[field], other.fields[field])
        for pair in one.ranks.keys() & other.ranks.keys():
            first, second, what = one.ranks[pair], other.ranks[pair], f"rank correlation with {pair[1]}"
            out.append(Compared(f"{name}.{pair[0]}", what, f"{first:g}", f"{second:g}", abs(first - second) / 2))
    return out


def _field(where: str, one: FieldProfile, other: FieldProfile) -> Iterator[Compared]:
    if one.nulls or other.nulls:
        yield Compared(where, "filled", _percent(one.share), _percent(other.share), abs(one.share - other.share))
    if one.is_of_few and other.is_of_few:
        shares = [np.array([count for _, count in told.by_value]) / max(1, told.filled) for told in (one, other)]
        yield Compared(where, "shares of values", _shares(shares[0]), _shares(shares[1]), _between(*shares))
    elif one.numbers and other.numbers:
        yield Compared(where, "a tenth, the middle, nine tenths", _numbers(one), _numbers(other), _far(one, other))
    elif one.rhythm is not None and other.rhythm is not None:
        for name in ("weekdays", "hours"):
            weights = [np.array(getattr(told.rhythm, name), np.float64) for told in (one, other)]
            if all(two.size for two in weights):
                shares = [two / two.sum() for two in weights]
                what = "on working days" if name == "weekdays" else "from 8 to 18 o'clock"
                span = slice(0, 5) if name == "weekdays" else slice(8, 18)
                told, made = (_percent(float(two[span].sum())) for two in shares)
                yield Compared(where, what, told, made, float(np.abs(shares[0] - shares[1]).sum() / 2))
    elif one.lengths is not None and other.lengths is not None:
        middle = [told.lengths[1] for told in (one, other) if told.lengths is not None]
        apart = abs(middle[0] - middle[1]) / max(1, *middle)
        yield Compared(where, "characters", f"{middle[0]}", f"{middle[1]}", apart)


def _children(where: str, one: Children, other: Children) -> Iterator[Compared]:
    apart = abs(one.mean - other.mean) / max(one.mean, other.mean, 1e-9)
    yield Compared(where, "rows for each target", f"{one.mean:.3g}", f"{other.mean:.3g}", apart)
    yield Compared(where, "targets without any", _percent(one.none), _percent(other.none), abs(one.none - other.none))


def _percent(share: float) -> str:
    return f"{100 * share:.0f} %"


def _shares(shares: NDArray[np.float64]) -> str:
    told = " · ".join(f"{100 * share:.0f}" for share in np.sort(shares)[::-1][:5])
    return f"{told} %" + (" …" if len(shares) > 5 else "")


def _between(one: NDArray[np.float64], other: NDArray[np.float64]) -> float:
    """Half of the sum of all differences, the commonest beside the commonest, since names may have been left out."""
    size = max(len(one), len(other))
    ordered = [np.pad(np.sort(two)[::-1], (0, size - len(two))) for two in (one, other)]
    return float(np.abs(ordered[0] - ordered[1]).sum() / 2)


def _numbers(told: FieldProfile) -> str:
    return " · ".join(f"{told.numbers[at]:g}" for at in (1, len(told.numbers) // 2, -2))


def _far(one: FieldProfile, other: FieldProfile) -> float:
    """The largest difference between the two distributions, read at the deciles (Kolmogorov and Smirnov)."""
    steps = np.linspace(0, 1, len(one.numbers))
    at = np.array(sorted({*one.numbers, *other.numbers}))
    shares = [np.interp(at, told.numbers, steps) for told in (one, other)]
    return float(np.abs(shares[0] - shares[1]).max())
