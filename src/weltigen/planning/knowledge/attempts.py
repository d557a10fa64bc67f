"""Random bits that change with the attempt, where a field or a reference is made again since a row failed a check."""

from __future__ import annotations

from ...plan.ports import RowsPort, redraw_key
from ...randomness import Bits


def bits_of_attempt(bits: Bits, rows: RowsPort) -> Bits:
    """The bits of a field, or of a reference by its name, for the attempt that the rows are made in."""
    if not rows.attempt or not {bits.field, redraw_key(bits.field)} & rows.redrawn:
        return bits
    return Bits(bits.seed, bits.entity, bits.field, bits.purpose, rows.attempt)
