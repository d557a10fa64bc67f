"""What is known of a measure in one unit, told in another: a wingspan in millimetres, a chest in inches."""

from __future__ import annotations

import math
from collections.abc import Iterator
from functools import lru_cache

from ..model import Field
from ..model.types import NUMBERS
from .around import Around, Guessed
from .concepts import Found, matching
from .offers import by_number

# units of one dimension, each with how many of the first they are
_DIMENSIONS: tuple[dict[str, float], ...] = (
    {
        "m": 1, "metres": 1, "mm": 0.001, "millimetres": 0.001, "cm": 0.01, "centimetres": 0.01, "km": 1000, "kilometres": 1000,
        "in": 0.0254, "inch": 0.0254, "inches": 0.0254, "ft": 0.3048, "foot": 0.3048, "feet": 0.3048,
        "yd": 0.9144, "yards": 0.9144,
        "mi": 1609.344, "miles": 1609.344,
    },
    {
        "kg": 1, "kilograms": 1, "g": 0.001, "grams": 0.001, "mg": 1e-6, "milligrams": 1e-6, "t": 1000, "tonnes": 1000,
        "lb": 0.4536, "lbs": 0.4536, "pounds": 0.4536, "oz": 0.02835, "ounces": 0.02835,
    },
    {"l": 1, "litres": 1, "m3": 1000, "ml": 0.001, "millilitres": 0.001, "cl": 0.01, "hl": 100, "gal": 3.785, "gallons": 3.785},
    {"sqm": 1, "ha": 10_000, "hectares": 10_000, "sqft": 0.0929, "acres": 4046.9, "acre": 4046.9, "km2": 1e6},
    {"w": 1, "watts": 1, "kw": 1000, "kilowatts": 1000, "mw": 1e6, "hp": 745.7},
    {"pa": 1, "hpa": 100, "kpa": 1000, "mbar": 100, "bar": 100_000, "psi": 6894.8},
    {"mps": 1, "kmh": 1 / 3.6, "kph": 1 / 3.6, "mph": 0.44704, "kn": 0.51444, "kts": 0.51444, "knots": 0.51444},
)  # fmt: skip

# the most that anybody tells in a small unit
_TOO_SMALL = {"mm": 12_000.0, "millimetres": 12_000.0, "cm": 2_500.0, "centimetres": 2_500.0, "g": 100_000.0, "grams": 100_000.0}
_OF_TIME = {"minutes": 1.0, "seconds": 1 / 60, "hours": 60.0, "days": 1440.0}  # of which some mean something else in each
SIZES = {unit: units for units in (*_DIMENSIONS, _OF_TIME) for unit in units}  # the units of the same dimension, by a unit


def in_other_units(around: Around, field: Field) -> Iterator[Guessed]:
    """A number whose name ends in a unit, and is known with another unit in its place."""
    words = around.words[field.name]
    if field.type.name not in NUMBERS or len(words) < 2 or words[-2] in SIZES:  # milligrams in a litre
        return
    told = _elsewhere(words)
    if told is not None and field.type.name in told[0].concept.types:
        found, times = told
        low, high, *shape = found.concept.arguments.split()
        if float(high) * times > _TOO_SMALL.get(words[-1], float("inf")):
            return  # nobody tells it in such small units
        scaled = " ".join([f"{float(low) * times:.3g}", f"{float(high) * times:.3g}", *shape])
        reason = f"its name, by {' '.join(found.words)} in {words[-1]}"
        if (made := by_number(field, scaled, reason, found.confidence * 0.98)) is not None:
            yield made


@lru_cache(maxsize=4096)
def _elsewhere(words: tuple[str, ...]) -> tuple[Found, float] | None:
    """The surest concept that has another unit of the same dimension at its end, mostly one of like size, and how many
    of the field's make one of its."""
    units = SIZES.get(words[-1])
    if units is None or units is _OF_TIME or any(found.whole for found in matching(words)):
        return None
    own = units[words[-1]]
    told = [
        (found, size / own)
        for unit, size in units.items()
        if size != units[words[-1]]
        for found in matching((*words[:-1], unit))
        if found.whole and found.concept.what == "num"
    ]
    return max(told, key=lambda one: one[0].confidence - 0.05 * abs(math.log10(one[1])), default=None)  # of like size, if any
