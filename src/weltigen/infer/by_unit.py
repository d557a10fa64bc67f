"""Numbers of which only the unit is known: how large such mostly are, whatever they measure."""

from __future__ import annotations

from collections.abc import Iterator
from functools import lru_cache
from importlib.resources import files

from ..model import Field
from ..model.types import INTEGERS, NUMBERS
from .around import Around, Guessed
from .naming import folded
from .offers import by_number


@lru_cache(maxsize=1)
def _spans() -> dict[str, str]:
    """By a unit, or by two as `mg_l`: what most numbers in it lie between, and their shape (`units_alone.txt`)."""
    lines = (files("weltigen.infer.concepts") / "units_alone.txt").read_text("utf-8").splitlines()
    parts = (line.split(" : ") for line in lines)
    return {unit: span for units, span in parts for unit in units.split(", ")}


# units that are told beside a larger one, and how many of them make one of it
_PARTS = {
    "oz": (16, "lb lbs pounds"), "ounces": (16, "lb lbs pounds"), "in": (12, "ft feet foot"), "inches": (12, "ft feet foot"),
    "lb": (14, "st stone stones"), "lbs": (14, "st stone stones"), "min": (60, "h hr hrs hours deg"),
    "mins": (60, "h hr hrs hours"), "minutes": (60, "h hr hrs hours"), "sec": (60, "min mins minutes"),
    "secs": (60, "min mins minutes"), "seconds": (60, "min mins minutes"), "pence": (100, "pounds"),
    "cents": (100, "dollars euros eur"), "months": (12, "years yrs"),
}  # fmt: skip


def rest_in_unit(around: Around, field: Field) -> Iterator[Guessed]:
    """What is left over in the smaller of two units: ounces beside pounds, inches beside feet."""
    stem, _, unit = folded(field.name).rpartition("_")
    most, larger = _PARTS.get(unit, (0, ""))
    beside = {folded(other.name) for other in around.entity.fields if other.type.name in NUMBERS}
    if field.type.name in NUMBERS and any((f"{stem}_{one}" if stem else one) in beside for one in larger.split()):
        made = by_number(field, f"0 {most - 1}", f"what is left over in {unit}, beside the larger unit", 0.93)
        yield from () if made is None else (made,)


def by_unit(around: Around, field: Field) -> Iterator[Guessed]:
    """What a number lies between by the unit at the end of its name."""
    words, parts = around.words[field.name], folded(field.name).split("_")
    if field.type.name not in NUMBERS or not words or len(words) + len(parts) < 3:
        return
    spans, both = _spans(), "_".join(parts[-2:])
    last = next((one for one in (words[-1], parts[-1]) if len(one) > 1 and one in spans), "")
    if both in spans and len(parts) > 2:
        span, sure = spans[both], 0.83
    elif last:
        span, sure = spans[last], 0.47
    elif words[-1] in spans and len((words if len(words) > 1 else parts)[-2]) > 2:  # a letter, which stands for much else
        span, sure = spans[words[-1]], 0.45
    else:
        return
    if field.type.name in INTEGERS and span.startswith("0."):
        span = f"1 {span.partition(' ')[2]}"
    made = by_number(field, span, f"a number in {both if sure > 0.8 else words[-1]}, by the end of its name", sure)
    yield from () if made is None else (made,)
