"""Decimals computed as whole numbers are what Python's decimals say, whatever their signs, scales and sizes."""

from __future__ import annotations

from decimal import ROUND_HALF_UP, Decimal, localcontext
from random import Random
from typing import Any

import pyarrow as pa
import pytest

from weltigen.expression import parse
from weltigen.expression.fixed import decimals, fixed, rounded


def column(chance: Random, size: int) -> tuple[Any, list[Decimal | None]]:
    precision = chance.choice([2, 7, 12, 18, 24])
    scale = chance.randint(0, min(precision, 9))
    most = 10**precision - 1
    drawn = (
        chance.choice([0, 1, most, -most, chance.randint(-most, most), chance.randint(-99, 99) % (most + 1)]) for _ in range(size)
    )
    values = [None if chance.random() < 0.1 else Decimal(number).scaleb(-scale) for number in drawn]
    return pa.array(values, pa.decimal128(precision, scale)), values


@pytest.mark.parametrize("seed", range(60))
def test_sums_products_remainders_and_roundings_are_exact(seed: int) -> None:
    chance = Random(seed)
    (x, xs), (y, ys) = column(chance, 40), column(chance, 40)
    columns = {"x": x, "y": y, "n": pa.array([3, -7] * 20)}
    digits = chance.randint(0, 3)
    with localcontext() as context:
        context.prec = 60
        unit = Decimal(1).scaleb(-digits)
        wanted = {
            "x + y": [None if None in (a, b) else a + b for a, b in zip(xs, ys, strict=True)],
            "x - y": [None if None in (a, b) else a - b for a, b in zip(xs, ys, strict=True)],
            "x * n": [None if a is None else a * (3, -7)[i % 2] for i, a in enumerate(xs)],
            f"round(x, {digits})": [None if a is None else a.quantize(unit, ROUND_HALF_UP) for a in xs],
            "x * 1.25 - 2": [None if a is None else a * Decimal("1.25") - 2 for a in xs],
        }
        if all(
            type.precision - type.scale + max(x.type.scale, y.type.scale) < 18 for type in (x.type, y.type)
        ):  # wider: as floats
            wanted["x % y"] = [None if None in (a, b) or b == 0 else a % b for a, b in zip(xs, ys, strict=True)]
    for text, expected in wanted.items():
        found = parse(text).evaluate(columns.__getitem__, 40).to_pylist()
        assert found == expected, (text, x.type, y.type)


def test_numbers_of_more_than_eighteen_digits_are_left_to_arrow() -> None:
    for value in (Decimal("999999999999999999"), Decimal("-999999999999999999"), Decimal(0)):
        array = pa.array([value, None], pa.decimal128(38, 0))
        held = fixed(array)
        assert (held is not None and decimals(held, array.type).equals(array) and held.scaled(1) is None) or value == 0
    assert fixed(pa.array([Decimal(10) ** 18], pa.decimal128(38, 0))) is None
    assert fixed(pa.scalar("1.5")) is None and fixed(pa.array([], pa.decimal128(5, 2))) is None
    half = fixed(pa.array([Decimal("0.005"), Decimal("-0.005"), Decimal("0.0049")], pa.decimal128(7, 4)))
    assert half is not None
    assert decimals(rounded(half, 2)).to_pylist() == [Decimal("0.01"), Decimal("-0.01"), Decimal("0.00")]


@pytest.mark.parametrize("seed", range(30))
def test_quotients_of_amounts_are_rounded_as_decimals_are(seed: int) -> None:
    chance = Random(seed)
    xs = [Decimal(chance.randint(-(10**7), 10**7)).scaleb(-2) for _ in range(200)]
    ys = [Decimal(chance.choice([0, 3, 8, 12, 250, chance.randint(1, 10**5)])).scaleb(-1) for _ in range(200)]
    columns = {"x": pa.array(xs, pa.decimal128(10, 2)), "y": pa.array(ys, pa.decimal128(8, 1))}
    cent = Decimal("0.01")
    wanted = {
        "round(x * 0.2 / (1 + 0.2), 2)": [(x * Decimal("0.2") / Decimal("1.2")).quantize(cent, ROUND_HALF_UP) for x in xs],
        "round(x / y, 2)": [(x / y).quantize(cent, ROUND_HALF_UP) if y else None for x, y in zip(xs, ys, strict=True)],
        "round(8 / y, 2)": [(8 / y).quantize(cent, ROUND_HALF_UP) if y else None for y in ys],
        "cast(x as double precision)": [float(x) for x in xs],
    }
    for text, expected in wanted.items():
        assert parse(text).evaluate(columns.__getitem__, 200).to_pylist() == expected, text
