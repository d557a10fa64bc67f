"""What is said of a thing that a flag or a moment tells of is there where that is, however the two are called."""

from __future__ import annotations

import pandas as pd
import pytest

import weltigen

FLAGS = {
    "out_of_service boolean NOT NULL": ("out_of_service_reason varchar(80)", "out_of_service_since date"),
    "has_parking boolean NOT NULL": ("parking_fee numeric(6,2)", "parking varchar(40)"),
    '"isInsured" boolean NOT NULL': ('"insuredNotes" text', '"insuredBy" varchar(80)'),
    "needs_inspection boolean NOT NULL": ("inspection_note text", "inspection_on date"),
    "short_flg char(1) NOT NULL": ("short_rsn varchar(40)", "short_note text"),
    "is_blocked smallint NOT NULL DEFAULT 0": ("block_reason varchar(60)", "blocked_by varchar(40)"),
    "voided_at timestamp": ("voided_reason text", "void_note varchar(90)"),
    "declined_on date": ("decline_reason varchar(120)", "declined_by varchar(60)"),
    "disputed_at timestamptz": ("dispute_reason text", "disputed_by varchar(40)"),
}


@pytest.mark.parametrize("teller", FLAGS)
@pytest.mark.parametrize("noun", ["berth", "tow_order"])
def test_what_is_told_of_a_flag_is_there_where_it_is_set(teller: str, noun: str) -> None:
    told = FLAGS[teller]
    sql = f"CREATE TABLE {noun} (id integer PRIMARY KEY, {teller}, {', '.join(told)}, weight_kg numeric(6,2), remark text);"
    rows = weltigen.read_model(sql, dialect="postgresql").dataset(rows={noun: 600}).frame(noun)
    name, *others = (column.split()[0].strip('"') for column in (teller, *told))
    kept_as = {"boolean": True, "char(1)": "Y", "smallint": 1}.get(teller.split()[1])
    is_set = rows[name].notna() if kept_as is None else rows[name] == kept_as
    assert 0 < is_set.sum() < 590
    for other in others:
        assert (rows[other].notna() == is_set).all(), other
    assert pd.notna(rows["remark"]).sum() > 400, "and nothing else is"


def test_rare_ends_are_rare_and_no_step_follows_them() -> None:
    sql = """CREATE TABLE envelope (id integer PRIMARY KEY, created_at timestamp NOT NULL, sent_at timestamp, voided_at timestamp,
      declined_at timestamp, viewed_at timestamp, completed_at timestamp);"""
    rows = weltigen.read_model(sql, dialect="postgresql").dataset(rows={"envelope": 1_000}).frame("envelope")
    for rare in ("voided_at", "declined_at"):
        assert 10 < rows[rare].notna().sum() < 150
        assert (rows[rare].dropna() >= rows["created_at"][rows[rare].notna()]).all()
    assert rows["completed_at"].notna().sum() > 400, "whether or not it was voided"


# what was done and why, in the forms that names have it
VERBS = {
    "scrubbed": "scrub", "deferred": "deferral", "postponed": "postponement", "diverted": "diversion", "quarantined": "quarantine",
    "capsized": "capsizing", "impounded": "impounding", "salvaged": "salvage", "condemned": "condemnation", "evicted": "eviction",
    "rerouted": "reroute", "downgraded": "downgrade", "beached": "beaching", "forfeited": "forfeiture",
}  # fmt: skip


@pytest.mark.parametrize("done", VERBS)
@pytest.mark.parametrize("form", ["{why}_reason", "reason_for_{why}", "{done}_reason"])
def test_what_a_row_may_tell_a_reason_for_is_rare_whatever_the_verb(done: str, form: str) -> None:
    reason = form.format(why=VERBS[done], done=done)
    sql = f"""CREATE TABLE sailing (id integer PRIMARY KEY, planned_start timestamp NOT NULL, started_at timestamp, {reason} varchar(90),
      {done}_at timestamp, finished_at timestamp, {done}_by varchar(60));"""
    rows = weltigen.read_model(sql, dialect="postgresql").dataset(rows={"sailing": 800}).frame("sailing")
    is_done = rows[f"{done}_at"].notna()
    assert 5 < is_done.sum() < 160
    assert (rows[reason].notna() == is_done).all() and (rows[f"{done}_by"].notna() == is_done).all()
    assert rows["finished_at"].notna().sum() > 400, "whether or not anything went wrong"


PLANNED = {"launched_at": "planned_launch_at", "arrived_at": "expected_arrival_at", "delivered_on": "scheduled_delivery_on", "docked_at": "estimated_docking_at", "inspected_on": "planned_inspection_on"}  # fmt: skip


@pytest.mark.parametrize("done", PLANNED)
@pytest.mark.parametrize("first", [True, False], ids=["planned first", "planned last"])
def test_what_was_done_lies_near_what_was_planned_by_the_verb_of_both(done: str, first: bool) -> None:
    kind = "date" if done.endswith("_on") else "timestamp"
    both = [f"{PLANNED[done]} {kind} NOT NULL", f"{done} {kind}"][:: 1 if first else -1]
    rows = (
        weltigen.read_model(f"CREATE TABLE tow (id integer PRIMARY KEY, {', '.join(both)});")
        .dataset(rows={"tow": 500})
        .frame("tow")
    )
    late = (pd.to_datetime(rows[done]) - pd.to_datetime(rows[PLANNED[done]])).dropna()
    assert len(late) > 300 and late.min() >= pd.Timedelta(0) and late.max() <= pd.Timedelta(days=8)
