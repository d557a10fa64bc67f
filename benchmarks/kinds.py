"""How long each kind of value takes: nanoseconds a row, and microseconds for each hundred bytes; one thread, 65,536 rows.

    python benchmarks/kinds.py            a table of all kinds, the slowest first
    python benchmarks/kinds.py uuid iban  of some

A kind is made as a field that says nothing but the kind is filled; people are those of a million rows.
"""

from __future__ import annotations

import sys
import time

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from weltigen.cli.kinds import asked
from weltigen.randomness import Bits
from weltigen.randomness.mixing import below
from weltigen.values import FromText, KindError, People, PersonPart, get_kind, kind_names

ROWS, TURNS = 65_536, 5
LIMIT = 1.0  # microseconds for each hundred bytes


def measured(name: str) -> tuple[float, float] | None:
    """Nanoseconds and bytes a row; None for a kind that is made from another field."""
    bits, ordinals = Bits(1, "bench", name), np.arange(ROWS)
    try:
        prepared = get_kind(name).prepare(asked(get_kind(name), "en"))
    except KindError:
        return None
    if isinstance(prepared, FromText):
        return None
    people = People(Bits(1, "bench", "person"), 1_000_000, None, None) if isinstance(prepared, PersonPart) else None
    taken, column = [], pa.nulls(0)
    for _ in range(TURNS):
        began = time.process_time()
        if isinstance(prepared, PersonPart):
            column = prepared.decode(people, people.at(ordinals))  # type: ignore[union-attr]
        else:
            words = bits.words(ordinals)
            column = prepared.decode(prepared.draw(words) if prepared.draw else below(words, prepared.space))
        taken.append(time.process_time() - began)
    texts = column if pa.types.is_string(column.type) or pa.types.is_binary(column.type) else None
    size = pc.sum(pc.binary_length(texts)).as_py() if texts is not None else column.nbytes
    return min(taken) / ROWS * 1e9, max(1.0, size / ROWS)


def additions() -> float:
    """Millions of additions a second of a plain loop in Python, to compare machines by."""
    began, number = time.process_time(), 0
    while number < 3_000_000:
        number += 1
    return 3 / (time.process_time() - began)


def main() -> None:
    print(f"a plain loop of Python makes {additions():.1f} million additions a second here")
    found = {name: one for name in sys.argv[1:] or kind_names() if (one := measured(name)) is not None}
    print(f"{'kind':<24}{'ns a row':>10}{'bytes':>8}{'µs / 100 bytes':>16}")
    for name, (spent, size) in sorted(found.items(), key=lambda one: -one[1][0] / one[1][1]):
        print(f"{name:<24}{spent:>10.0f}{size:>8.0f}{spent / size / 10:>16.2f}")
    slow = [name for name, (spent, size) in found.items() if spent / size / 10 > LIMIT]
    print(f"{len(found)} kinds, {len(slow)} slower than {LIMIT:g} µs for each 100 bytes: {', '.join(slow) or 'none'}")


if __name__ == "__main__":
    main()
