"""Moments of any row come in the order of what they tell of, in whatever order, type and spelling their columns stand."""

from __future__ import annotations

import random
from itertools import combinations

import pandas as pd
import pytest

import weltigen

# what happens to a thing, the earlier before the later; the noun of its table
STORIES = {
    "permit": "requested submitted reviewed approved issued expires",
    "parcel": "ordered packed shipped delivered returned",
    "crossing_ticket": "booked paid checked_in boarded",
    "incident": "occurred reported acknowledged resolved closed",
    "notice": "created published archived",
    "message": "queued sent delivered read",
    "membership": "joined suspended terminated",
    "survey_sample": "collected received analysed",
    "lamp": "purchased installed serviced decommissioned",
    "rescue_call": "received dispatched arrived cleared",
    "repair": "received started finished collected",
    "licence": "issued starts ends",
    "tenancy": "signed started ended",
    "boat_trip": "booked departs arrives",
    "course": "opened started ended",
    "invoice": "issued sent due",
    "crane_job": "queued started finished",
    "pass_sale": "sold refunded",
    "prescription": "written dispensed",
    "furnace": "lit cooled",
}
SKIPPED = tuple(
    "paid acknowledged reviewed suspended serviced archived refunded opened expires due starts ends departs arrives".split()
)
TYPES = {"timestamp": "_at", "timestamptz": "_at", "date": "_on", "integer": "_at", "timestamp(0)": "_time"}


def model_of_story(seed: int) -> tuple[str, str, list[str], str]:
    """A table of one story: as SQL, its name, the columns in the order of what they tell of, and their type."""
    dice = random.Random(seed)
    noun = list(STORIES)[seed % len(STORIES)]
    steps = STORIES[noun].split()
    told = sorted(dice.sample(range(len(steps)), dice.randint(2, len(steps))))
    kind = dice.choice(list(TYPES))
    names = [f"{steps[at]}{TYPES[kind]}" for at in told]
    if dice.random() < 0.3:
        names = ["".join(word.capitalize() for word in name.split("_")) for name in names]
    columns = [f'"{name}" {kind}{dice.choice(["", " NOT NULL"])}' for name in names]
    columns += ["remark text", "title varchar(60) NOT NULL"]
    dice.shuffle(columns)
    return f"CREATE TABLE {noun} (id integer PRIMARY KEY, {', '.join(columns)});", noun, names, kind


@pytest.mark.parametrize("seed", range(80))
def test_moments_come_in_the_order_of_what_they_tell(seed: int) -> None:
    sql, noun, names, kind = model_of_story(seed)
    rows = weltigen.read_model(sql, dialect="postgresql").dataset(rows={noun: 400}, seed=seed).frame(noun)
    for name in names:
        rows[name] = pd.to_datetime(rows[name], unit="s" if kind == "integer" else None, utc=True)
        assert rows[name].notna().any() and rows[name].nunique() > 5, name
    for earlier, later in combinations(names, 2):
        both = rows[[earlier, later]].dropna()
        apart = both[later] - both[earlier]
        assert apart.min() >= pd.Timedelta(0), f"{sql}\n{later} before {earlier}: {(apart < pd.Timedelta(0)).mean():.0%}"
        assert apart.max() < pd.Timedelta("8000 days"), (earlier, later)
        if kept(earlier) and kept(later) and f'"{later}" {kind} NOT NULL' not in sql:  # nothing is delivered that was never sent
            assert not (rows[earlier].isna() & rows[later].notna()).any(), f"{sql}\n{later} without {earlier}"
    assert len(names) < 2 or any((rows[b] > rows[a]).any() for a, b in combinations(names, 2))


def kept(name: str) -> bool:
    """Whether it is a step that every row takes that comes any further."""
    return not name.lower().startswith(SKIPPED)


@pytest.mark.parametrize("noun", [noun for noun, steps in STORIES.items() if not {*steps.split()} & {"starts", "departs", "due"}])
def test_a_state_says_how_far_a_row_has_come(noun: str) -> None:
    steps = [step for step in STORIES[noun].split() if not step.startswith(SKIPPED)]
    first, *later = steps
    states = ["new", *later]
    columns = [f"{first}_at timestamp NOT NULL", *(f"{step}_at timestamp" for step in later)]
    listed = ", ".join(f"'{state}'" for state in states)
    checked = random.Random(noun).choice([f"varchar(20) NOT NULL CHECK (status IN ({listed}))", f"enum({listed}) NOT NULL"])
    dialect = "mysql" if checked.startswith("enum") else "postgresql"
    sql = f"CREATE TABLE {noun} (id integer PRIMARY KEY, {', '.join(columns)}, status {checked})"
    rows = weltigen.read_model(sql, dialect=dialect).dataset(rows={noun: 300}).frame(noun)
    assert set(rows["status"]) == set(states)
    for at, state in enumerate(states):
        of_state = rows[rows["status"] == state]
        there = [bool(of_state[f"{step}_at"].notna().all()) for step in later]
        missing = [bool(of_state[f"{step}_at"].isna().all()) for step in later]
        assert all(there[:at]) and all(missing[at:]), (state, dict(zip(later, there, strict=True)))


def test_who_is_called_sets_out_within_minutes_and_not_when_somebody_has_paid() -> None:
    """Goods wait for their payment, people do not; what is checked expires after that."""
    columns = "called_at timestamp NOT NULL, dispatched_at timestamp, arrived_at timestamp, paid_at timestamp, checked_on date, expires_on date"
    frame = (
        weltigen.read_model(f"CREATE TABLE callout (id integer PRIMARY KEY, {columns});")
        .dataset(rows={"callout": 800})
        .frame("callout")
    )
    out = (frame["dispatched_at"] - frame["called_at"]).dropna()
    assert len(out) > 500 and out.min() >= pd.Timedelta(0) and out.max() <= pd.Timedelta(minutes=20)
    assert (frame["paid_at"] < frame["dispatched_at"]).mean() < 0.05
    both = frame.dropna(subset=["checked_on", "expires_on"])
    assert len(both) > 500 and (both["expires_on"] >= both["checked_on"]).all()


@pytest.mark.parametrize("noun", ["appointments", "lessons", "treatment_sessions", "bookings"])
def test_what_people_book_begins_by_day(noun: str) -> None:
    sql = f"CREATE TABLE {noun} (id integer PRIMARY KEY, starts_at timestamp NOT NULL, ends_at timestamp NOT NULL)"
    rows = weltigen.read_model(sql, dialect="postgresql").dataset(rows={noun: 3000}).frame(noun)
    assert rows["starts_at"].dt.hour.between(7, 21).all() and (rows["starts_at"].dt.minute % 15 == 0).all()
    assert rows["starts_at"].dt.hour.nunique() > 12 and (rows["ends_at"] > rows["starts_at"]).all()
