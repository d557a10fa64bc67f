"""What a column looks like, as far as it may be told: shares, quantiles on a grid, lengths, forms, and when things happen.

Nothing here is about fewer than K rows. Counts by value are kept to be looked at and are told only as `telling` allows.
"""

from __future__ import annotations

import math
import re
from collections import Counter
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

import numpy as np
import pandas as pd
import pyarrow as pa
import pyarrow.compute as pc
from numpy.typing import NDArray

from ..model import Entity, Field
from ..model.types import MOMENTS, NUMBERS, TEXTS, TypeName

K = 20  # so many rows stand at least behind whatever is told
DECILES = 11
_MOST_VALUES = 40  # of a column of categories
FOR_DECILES = 5  # times K rows, of which a fifth is cut off at each end: of fewer there is no shape
_GRID = 40  # steps between the ends of a column's numbers
_WORDED = TEXTS | {TypeName.ENUM}


@dataclass(frozen=True, slots=True)
class Rhythm:
    """When moments lie: how many times as many at the end as at the beginning, and weights of weekdays, months and hours."""

    first: np.datetime64
    last: np.datetime64
    growth: float
    weekdays: tuple[int, ...]
    months: tuple[int, ...]
    hours: tuple[int, ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class FieldProfile:
    """One column of `rows` rows; `distinct` values, `by_value` those with K rows each, the commonest first."""

    rows: int
    nulls: int
    distinct: int = 0
    by_value: tuple[tuple[str, int], ...] = ()
    numbers: tuple[float, ...] = ()  # deciles, on a grid; the ends have K rows beyond them
    lengths: tuple[int, int, int] | None = None  # characters: a twentieth are shorter, the middle, a twentieth are longer
    form: str | None = None  # the regular expression of nearly all texts
    rhythm: Rhythm | None = None

    @property
    def share(self) -> float:
        """The share of rows that have a value."""
        return 1.0 - self.nulls / self.rows if self.rows else 0.0

    @property
    def filled(self) -> int:
        return self.rows - self.nulls

    @property
    def is_of_few(self) -> bool:
        """Whether nearly all rows have one of a few values."""
        told = sum(count for _, count in self.by_value)
        return 0 < len(self.by_value) <= _MOST_VALUES and told >= 0.9 * self.filled


@dataclass(frozen=True, slots=True)
class Children:
    """How many rows refer to each row of a target: the mean over all, the share without any; but for K, those with any have
    `least` to `most`."""

    owners: int
    mean: float
    none: float
    least: int
    most: int
    favourites: float  # the share of all references that the fifth of the targets takes which is referred to most


@dataclass(frozen=True, slots=True, kw_only=True)
class EntityProfile:
    """`rows` in all; its columns, measured in `sampled` of them; children by the name of the relation that leads up."""

    rows: int
    sampled: int
    fields: Mapping[str, FieldProfile] = field(default_factory=dict)
    children: Mapping[str, Children] = field(default_factory=dict)
    ranks: Mapping[tuple[str, str], float] = field(default_factory=dict)  # Spearman's correlations of two numbers of a row


def profile_of(entity: Entity, table: Any, rows: int, children: Mapping[str, Children] | None = None) -> EntityProfile:
    """The profile of an entity by a pyarrow.Table of some of its rows; of keys and references only what rows they lead to."""
    joined = {*entity.key, *(column for relation in entity.relations for column in relation.columns)}
    known = {one.name: one for one in entity.fields}
    fields = {
        name: _of_column(known[name], table[name].combine_chunks())
        if name not in joined
        else FieldProfile(rows=table.num_rows, nulls=table[name].null_count)
        for name in table.column_names
        if name in known
    }
    return EntityProfile(
        rows=rows, sampled=table.num_rows, fields=fields, children=children or {}, ranks=_ranks(table, known, fields)
    )


def children_of(counts: NDArray[np.int64], owners: int) -> Children:
    """By how many rows each referred-to target has."""
    counts = np.sort(counts[counts > 0])[::-1]
    total = int(counts.sum())
    least, most = (int(counts[-K]), int(counts[K - 1])) if counts.size >= K else (0, 0)
    fifth = int(counts[: max(1, round(owners / 5))].sum())
    return Children(
        owners=owners, mean=total / max(1, owners), none=max(0.0, 1 - counts.size / max(1, owners)), least=least, most=most,
        favourites=fifth / max(1, total),
    )  # fmt: skip


def _of_column(field: Field, column: Any) -> FieldProfile:
    if isinstance(column, pa.ChunkedArray):
        column = column.combine_chunks()
    rows, nulls = len(column), column.null_count
    there = column.drop_null()
    kind = field.type.name
    if rows - nulls < K or kind not in MOMENTS | NUMBERS | _WORDED | {TypeName.BOOLEAN}:
        return FieldProfile(rows=rows, nulls=nulls)
    if kind in MOMENTS:
        return FieldProfile(rows=rows, nulls=nulls, rhythm=_rhythm(there, kind is TypeName.DATE))
    counted = pc.value_counts(there.cast(pa.string()) if kind is not TypeName.BOOLEAN else pc.if_else(there, "true", "false"))
    counts = counted.field("counts").to_numpy(zero_copy_only=False)
    order = np.argsort(-counts, kind="stable")
    often = [at for at in order[: _MOST_VALUES + 1].tolist() if counts[at] >= K]
    by_value = tuple((counted.field("values")[at].as_py(), int(counts[at])) for at in often)
    told: dict[str, Any] = {"distinct": len(counts), "by_value": by_value}
    if kind in NUMBERS:
        told["numbers"] = _deciles(_as_floats(there))
    elif kind is not TypeName.BOOLEAN:
        lengths = pc.utf8_length(there).to_numpy(zero_copy_only=False)
        told["lengths"] = tuple(int(one) for one in np.quantile(lengths, (0.05, 0.5, 0.95)))
        told["form"] = _form(there) if len(counts) >= K else None
    return FieldProfile(rows=rows, nulls=nulls, **told)


def _as_floats(column: Any) -> NDArray[np.float64]:
    return np.asarray(column.cast(pa.float64()).to_numpy(zero_copy_only=False), np.float64)


def _deciles(numbers: NDArray[np.float64]) -> tuple[float, ...]:
    """Quantiles at even steps, the ends cut so that K rows lie beyond each, on a grid of round steps: none is a value of a row
    because it was one."""
    numbers = np.sort(numbers[np.isfinite(numbers)])
    if numbers.size < FOR_DECILES * K:
        return ()
    cut = K / numbers.size
    told = np.quantile(numbers, np.linspace(cut, 1 - cut, DECILES))
    width = float(told[-1] - told[0])
    if width <= 0:
        return ()
    step = _round_step(width / _GRID)
    known = [_rounded(one, step) for one in told.tolist()]
    return tuple(_rounded(one, step) for one in _drawn_out(known, cut))


def _drawn_out(known: list[float], cut: float) -> list[float]:
    """Deciles by those of what lies between the cut ends: as far beyond these as their own steps go, and nothing below zero
    where all is above."""
    steps = 0.5 * cut * (DECILES - 1) / (1 - 2 * cut)  # twice as many of theirs are cut off at each end, but these may be few
    low, high = known[0] - steps * (known[1] - known[0]), known[-1] + steps * (known[-1] - known[-2])
    levels = np.concatenate([[0.0], np.linspace(cut, 1 - cut, DECILES), [1.0]])
    low = max(0.0, low) if known[0] >= 0 else low
    return [float(one) for one in np.interp(np.linspace(0, 1, DECILES), levels, [low, *known, high])]


def _rounded(number: float, step: float) -> float:
    """A number to the step, or to two digits where that is finer: small ones of many large ones are told apart."""
    if number:
        step = min(step, 10.0 ** (math.floor(math.log10(abs(number))) - 1))
    return float(f"{math.floor(number / step + 0.5) * step:.12g}")


def _round_step(width: float) -> float:
    """The next of 1, 2 or 5 times a power of ten."""
    power = 10.0 ** math.floor(math.log10(width))
    return next(times * power for times in (1, 2, 5, 10) if times * power >= width * 0.999)


def _rhythm(column: Any, by_day: bool) -> Rhythm | None:
    """When the moments of a column lie, as texts of ISO 8601 or as what they are."""
    if pa.types.is_string(column.type):
        read = pd.to_datetime(pd.Series(column.to_pylist()), format="ISO8601", errors="coerce", utc=True)
    elif pa.types.is_timestamp(column.type) or pa.types.is_date(column.type):
        read = pd.to_datetime(pd.Series(column.to_pylist()), errors="coerce", utc=True)
    else:
        return None
    at: NDArray[np.datetime64] = np.sort(read.dropna().dt.tz_convert(None).to_numpy().astype("datetime64[s]"))
    if len(at) < 2 * K + 1:
        return None
    days = at.astype("datetime64[D]").astype(np.int64)
    months = at.astype("datetime64[M]")
    first, last = months[K], months[-K - 1]
    number = months.astype(np.int64)
    span = int(number[-K - 1] - number[K]) + 1
    # the last third of the span beside the first
    early, late = int((number < number[K] + span / 3).sum()), int((number >= number[K] + span * 2 / 3).sum())
    growth = round(min(20.0, max(0.05, (late / max(K, early)) ** 1.5)), 1) if span >= 3 else 1.0
    return Rhythm(
        first=first, last=last, growth=growth,
        weekdays=_weights((days + 3) % 7, 7), months=_weights(number % 12, 12, every=True) if span >= 12 else (),
        hours=() if by_day else _weights(at.astype(np.int64) // 3600 % 24, 24),
    )  # fmt: skip


def _weights(numbers: NDArray[np.int64], of: int, every: bool = False) -> tuple[int, ...]:
    """Shares in parts of a hundred, of what has K rows; nothing where all lie in one, or where `every` one must have so many."""
    counts = np.bincount(numbers, minlength=of)
    if every and counts.min() < K:
        return ()
    counts = np.where(counts < K, 0, counts)
    told = tuple(int(one) for one in np.round(100 * counts / max(1, counts.sum())))
    return told if sum(one > 0 for one in told) > 1 else ()


_LONGEST_FORM, _MOST_FORMS = 40, 3


def _form(texts: Any) -> str | None:
    """The pattern of codes: which characters stand where, where nearly all texts are of the same few forms with digits. Capitals
    that all begin with stand for themselves."""
    first = str(texts[0].as_py())
    mark = (re.match(r"[A-Z]{1,5}(?=[-_/.:#])", first) or [""])[0]
    if mark and not pc.all(pc.starts_with(texts, mark)).as_py():
        mark = ""
    masks = pc.utf8_slice_codeunits(texts, len(mark))
    for sort, sign in (("[A-Z]", "A"), ("[a-z]", "a"), ("[0-9]", "9")):
        masks = pc.replace_substring_regex(masks, sort, sign)
    counted = Counter(masks.to_pylist()).most_common(_MOST_FORMS)
    often = [mask for mask, count in counted if count >= K]
    told = sum(count for mask, count in counted if count >= K)
    plain = all(mask.isascii() and "9" in mask and " " not in mask and len(mask) <= _LONGEST_FORM for mask in often)
    if not often or told < 0.95 * len(texts) or not plain:
        return None
    forms = sorted({_expression(mask) for mask in often})
    return mark + (forms[0] if len(forms) == 1 else f"({'|'.join(forms)})")


_SORTS = {"A": "[A-Z]", "a": "[a-z]", "9": "[0-9]"}


def _expression(mask: str) -> str:
    out, at = [], 0
    while at < len(mask):
        sign, end = mask[at], at
        while end < len(mask) and mask[end] == sign:
            end += 1
        one = _SORTS.get(sign) or (sign if sign.isalnum() or sign in "-_/:#@ " else f"\\{sign}")
        out.append(one if end - at == 1 else f"{one}{{{end - at}}}")
        at = end
    return "".join(out)


_CORRELATED, _ENOUGH, _BY_CHANCE = 0.1, 200, 3.5  # a correlation that counts; rows; standard deviations of what chance makes


def _ranks(table: Any, known: Mapping[str, Field], fields: Mapping[str, FieldProfile]) -> dict[tuple[str, str], float]:
    """Spearman's correlations of numbers of a row that are strong enough to be worth keeping."""
    names = [name for name, told in fields.items() if told.numbers and known[name].type.name in NUMBERS]
    if len(names) < 2 or table.num_rows < _ENOUGH:
        return {}
    numbers = pd.DataFrame({name: _as_floats(table[name]) for name in names[:24]})
    ranks = numbers.corr("spearman", min_periods=_ENOUGH).to_numpy()
    out = {}
    for place, one in enumerate(names[:24]):
        for at, other in enumerate(names[:place]):
            value = float(ranks[place, at])
            if not math.isnan(value) and abs(value) >= max(_CORRELATED, _BY_CHANCE / math.sqrt(len(numbers))):
                out[one, other] = round(value, 2)
    return out
