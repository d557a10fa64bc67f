"""A shape of relationship for the maker of models: rows that go to something near to what they belong to."""

from __future__ import annotations

from random import Random

from .model_parts import Table, called, reference


def near(chance: Random, tables: list[Table]) -> None:
    """Two tables with coordinates, of which some may be missing, and one whose rows refer to both, or twice to one of them."""
    if chance.random() < 0.7:
        return
    first_name = len(tables)
    spots = [Table(f"t{first_name + n}", [("id", chance.choice(["integer", "uuid"]))], chance.randint(1, 40)) for n in range(2)]
    for spot in spots:
        tail = chance.choice(["NOT NULL", ""])
        spot.columns = [
            f"id {spot.key[0][1]} PRIMARY KEY",
            f"latitude numeric(8, 5) {tail}",
            f"longitude double precision {tail}",
        ]
        spot.wishes.append(f"rows: {spot.rows}")
    here, there = chance.choice([(spots[0], spots[1]), (spots[0], spots[0])])
    trip = Table(f"t{first_name + 2}", [("id", "integer")], chance.randint(1, 90), ["id integer PRIMARY KEY"])
    first = reference(trip, here, "here", chance.choice(["NOT NULL", ""]))
    second = reference(trip, there, "there")
    apart = here is there and here.rows > 1 and chance.random() < 0.5
    if apart:
        trip.columns.append(f"CHECK ({first[0]} <> {second[0]})")
    few = chance.choice(["", f", of: {chance.randint(1, 9)}"])
    trip.wishes += [
        f"rows: {trip.rows}",
        f"references: {{{called(second, there)}: {{near: {{to: {called(first, here)}{few}}}}}}}",
    ]
    tables += [*spots, trip]
