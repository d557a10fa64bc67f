"""A large model in SQL for the benchmark: tables of many types that refer to each other, with checks and defaults."""

from __future__ import annotations

import random

TYPES = (
    "integer NOT NULL|varchar(60) NOT NULL|varchar(120)|numeric(10,2) NOT NULL DEFAULT 0 CHECK ({c} >= 0)|text|date|bigint|uuid|"
    "timestamp NOT NULL DEFAULT now()|boolean NOT NULL DEFAULT true|varchar(20) CHECK ({c} IN ('a','b','c'))|timestamptz|"
    "double precision|smallint CHECK ({c} BETWEEN 1 AND 9)"
).split("|")
NAMES = (
    "name title status email phone city zip created_at updated_at price quantity notes is_active code url kind rating year width"
).split()


def sql(tables: int, columns: int) -> str:
    """CREATE TABLE statements; from the sixth on a table has three references."""
    rng = random.Random(3)
    out = []
    for number in range(tables):
        parts = ["id bigserial PRIMARY KEY"]
        for reference in range(3 if number > 5 else 0):
            required = "NOT NULL" if reference == 0 else ""
            parts.append(f"up{reference}_id bigint {required} REFERENCES t{rng.randrange(number)} (id) ON DELETE CASCADE")
        while len(parts) < columns:
            name = f"{rng.choice(NAMES)}_{len(parts)}"
            parts.append(f"{name} {rng.choice(TYPES).format(c=name)}")
        out.append(f"CREATE TABLE t{number} (\n  " + ",\n  ".join(parts) + "\n);")
    return "\n".join(out)
