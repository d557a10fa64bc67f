"""Datasets: the same bytes whoever makes them, rows alone, and what people ask of them in Python."""

from __future__ import annotations

from dataclasses import replace
from decimal import Decimal

import numpy as np
import pandas as pd
import pyarrow as pa
import pytest

import weltigen
from weltigen.model.problems import UsageError
from weltigen.randomness import words
from weltigen.stored.digests import block_digest, entity_digest

# a change here is a change of the format's bytes: it needs a new format version and a line in the changelog
GOLDEN = {
    "operator_settings": "58b0a285fd95d3b8a71a477d628fec5e",
    "island": "25b2500f38b18c091c2f756f032437dc",
    "vessel_class": "60439eef5592a1644c0546ca8acbce50",
    "qualification": "8bcb23bde308702dc38a27bdb6bc5078",
    "crew_member": "51ae03362bfa4efd4b98ff142349e1c5",
    "crew_qualification": "34483616c713c6465339b2c80436f201",
    "passenger": "6bf8052df6acc03fe2ce323ce5d8155b",
    "port": "42fa747b9075254feafee46168622b3a",
    "berth": "1286b326b2976f529dd0b182419d14ac",
    "vessel": "6e6c4a6207624ab26bde851e748ec30d",
    "safety_certificate": "a0e27fe05529bd70a8e8376ec5a6e17a",
    "route": "569acab26cb7af85c21b12f4fb4b5e51",
    "fare": "8ee7ab3963df410d7815146473f0c748",
    "sailing": "a0cd5984ad64c34a6dafd0b075604835",
    "sailing_crew": "9081d9f703d2108c650385d784daa21a",
    "booking": "b2f60ad3247ca35c1935c51c1800ecb4",
    "ticket": "9a364bddb1a1aa297ce410406fb22ea5",
    "vehicle": "8e0768d4b84bbf089d9d5efc01ffd879",
    "remark": "08ce499aa85e26a40db9f4fd868e6874",
    "tide_gauge": "273335760a6ecc577794469bbf669122",
}


def test_the_bytes_are_those_of_this_format_version(ferry: weltigen.World) -> None:
    dataset = ferry.dataset()
    assert {name: dataset.digest(name) for name in dataset.counts} == GOLDEN


@pytest.mark.parametrize(("size", "workers"), [(1000, 1), (1000, 2), (65_536, 2), (100_000, 3), (7919, 1)])
def test_batches_and_workers_do_not_show_in_the_rows(ferry: weltigen.World, size: int, workers: int) -> None:
    dataset = ferry.dataset(times=5)
    for name in ("passenger", "booking"):
        pieces = list(dataset.batches(name, size=size, workers=workers))
        assert all(piece.num_rows == size for piece in pieces[:-1])
        assert pa.Table.from_batches(pieces).equals(dataset.table(name))


def test_the_words_behind_a_field_are_open_to_all(ferry: weltigen.World) -> None:
    dataset = ferry.dataset(seed=77)
    ordinals = np.setdiff1d(np.arange(5000), dataset.members("passenger", "quiet"))
    consent = dataset.table("passenger")["marketing_consent"].take(pa.array(ordinals)).to_pylist()
    assert consent == [word / 2**64 >= 0.55 for word in words(77, "passenger", "marketing_consent", ordinals).tolist()]
    status = dataset.table("booking")["status"].to_pylist()[:5000]
    shares = [word / 2**64 for word in words(77, "booking", "status", np.arange(5000)).tolist()]
    assert status == ["paid" if share < 0.8 else "held" if share < 0.92 else "cancelled" for share in shares]


def test_a_row_alone_is_the_row_of_the_table(ferry: weltigen.World) -> None:
    dataset = ferry.dataset(times=3)
    for name, total in dataset.counts.items():
        table = dataset.table(name)
        for ordinal in np.unique(np.linspace(0, total - 1, 25).astype(int)).tolist():
            assert dict(dataset.row(name, ordinal)) == table.slice(ordinal, 1).to_pylist()[0]


def test_a_row_leads_to_its_parents_and_children(ferry: weltigen.World) -> None:
    dataset = ferry.dataset()
    booking = dataset.row("booking", 41)
    sailing, passenger = booking.parent("sailing"), booking.parent("passenger")
    assert sailing is not None and passenger is not None
    assert (sailing["sailing_id"], passenger["passenger_id"]) == (booking["sailing_id"], booking["passenger_id"])
    assert 41 in [row.ordinal for row in sailing.children("booking")]
    assert 41 in [row.ordinal for row in passenger.children("booking")]
    assert passenger.label() == f"{passenger['given_name']} {passenger['family_name']}"
    assert sailing.label().startswith(sailing.parent("vessel")["name"])
    route = sailing.parent("route")
    assert len({route.parent(name)["name"] for name in ("from_port", "to_port")}) == 2
    port = dataset.row("port", 3)
    both = port.child_ordinals("route")
    assert both == sorted({*port.child_ordinals("route", "from_port"), *port.child_ordinals("route", "to_port")})
    ticket = booking.children("ticket")[0]
    assert ticket.parent("booking").ordinal == 41 and ticket.parent("sailing").ordinal == sailing.ordinal


@pytest.mark.parametrize(
    ("ask", "said"),
    [
        (lambda d: d.row("bokking", 1), "did you mean 'booking'?"),
        (lambda d: d.row("booking", 10**9), "its ordinals are: 0 to"),
        (lambda d: d.row("booking", 1).parent("sailling"), "did you mean 'sailing'?"),
        (lambda d: d.row("port", 1).parent("port"), "has no relation 'port'"),
        (lambda d: d.row("island", 1).children("vessel"), "vessel does not refer to island"),
        (lambda d: d.find("booking", where="totl > 3"), "did you mean 'total'?"),
        (lambda d: d.find("booking", where="total >"), "is not an SQL expression"),
        (lambda d: d.table("prot"), "did you mean 'port'?"),
        (lambda d: list(d.batches("port", size=0)), "at least 1"),
    ],
)
def test_a_question_about_what_is_not_there_is_answered(ferry: weltigen.World, ask: object, said: str) -> None:
    with pytest.raises(UsageError) as error:
        ask(ferry.dataset())  # type: ignore[operator]
    assert said in str(error.value)


def test_rows_are_found_by_a_condition(ferry: weltigen.World) -> None:
    dataset = ferry.dataset()
    frame = dataset.frame("booking")
    found = list(dataset.find("booking", where="total > 200 AND status = 'paid'"))
    expected = frame[(frame["total"] > Decimal(200)) & (frame["status"] == "paid")]
    assert [row.ordinal for row in found] == expected.index.tolist() and len(found) > 10
    assert [row.ordinal for row in dataset.find("booking", where="total > 200 AND status = 'paid'", limit=2)] == expected.index[
        :2
    ].tolist()
    late = next(dataset.find("booking", where="sailing.departs_at > '2026-01-01'"))
    assert late.parent("sailing")["departs_at"] >= pd.Timestamp("2026-01-01")


def test_frames_have_the_types_that_people_expect(harbour: weltigen.Dataset) -> None:
    pier, boat = harbour.frame("pier"), harbour.frame("boat")
    assert str(pier["pier_id"].dtype) == "int32" and str(boat["berth"].dtype) == "int16"
    assert str(harbour.frame("licence")["issued_at"].dtype).startswith("datetime64[us, UTC")
    ferry = weltigen.open_world(weltigen.__path__[0] + "/demo/ferry.yaml").dataset()
    assert str(ferry.frame("port")["pilot_vessel_id"].dtype) == "Int32"


def test_the_ferry_world_makes_sense(ferry: weltigen.World) -> None:
    dataset = ferry.dataset(times=4)
    booking, sailing, passenger, port = (dataset.frame(n) for n in ("booking", "sailing", "passenger", "port"))
    merged = booking.merge(sailing, on="sailing_id", suffixes=("", "_of_sailing"))
    lead = merged["departs_at"] - merged["booked_at"]
    assert (lead > pd.Timedelta(0)).all() and (lead <= pd.Timedelta(days=90)).all()
    ticket, fare, route, crew, qualified = (
        dataset.frame(n) for n in ("ticket", "fare", "route", "sailing_crew", "crew_qualification")
    )
    assert (route["from_port_id"] != route["to_port_id"]).all() and not route.duplicated(["from_port_id", "to_port_id"]).any()
    whole = ticket.merge(booking, on="booking_id", suffixes=("", "_b")).merge(sailing, on="sailing_id", suffixes=("", "_s"))
    assert (
        len(whole) == len(ticket)
        and (whole["sailing_id"] == whole["sailing_id_b"]).all()
        and (whole["route_id"] == whole["route_id_s"]).all()
    )
    assert (
        len(ticket.merge(fare, on=["route_id", "fare_class"])) == len(ticket)
        and not ticket.duplicated(["sailing_id", "seat"]).any()
    )
    assert len(crew.merge(qualified, on=["crew_member_id", "qualification_id"])) == len(crew)
    assert not crew.duplicated(["sailing_id", "crew_member_id"]).any() and crew["crew_member_id"].nunique() > 200
    assert not sailing.duplicated(["vessel_id", "departs_at"]).any()
    assert sailing.groupby("vessel_id")["departs_at"].is_monotonic_increasing.all()
    assert ((booking["status"] == "cancelled") == booking["cancelled_at"].notna()).all()
    assert booking["status"].value_counts(normalize=True)["paid"] == pytest.approx(0.80, abs=0.01)
    paid = dataset.frame("ticket").groupby("booking_id")["price"].sum()
    assert (booking.set_index("booking_id")["total"] == paid).all()
    assert port["slug"].tolist() == port["name"].str.lower().str.replace(" ", "-").tolist()
    taken = booking["passenger_id"].value_counts()
    frequent = taken.reindex(dataset.frame("passenger", cohort="frequent")["passenger_id"])
    assert (frequent.min() >= 8, frequent.max() <= 50, frequent.mean()) == (True, True, 20)
    assert len(frequent) == 0.08 * len(passenger)
    assert (passenger["joined_at"] < pd.Timestamp("2024-01-01")).all()


def test_digests_depend_on_values_alone() -> None:
    column = pa.array([1, None, 3], pa.int64())
    other = pa.array([9, 1, 7, 3], pa.int64()).slice(1)
    hidden = pa.Array.from_buffers(pa.int64(), 3, [column.buffers()[0], other.buffers()[1]], offset=0)
    texts = pa.array(["no", "a", None, "", "bc"]).slice(1, 3)
    for one, same in (
        (column, pa.array([1, None, 3])),
        (texts, pa.array(["a", None, ""])),
        (pa.array([True, None]), pa.array([True, None])),
    ):
        assert digest(one) == digest(same)
    assert digest(hidden) != digest(column)
    different = [
        pa.array(["a", "bc"]),
        pa.array(["ab", "c"]),
        pa.array(["a", None, "bc"]),
        pa.array(["a", "", "bc"]),
        pa.array([b"a", b"bc"]),
    ]
    assert len({digest(array) for array in different}) == len(different)
    assert entity_digest([b"a", b"b"]) != entity_digest([b"b", b"a"])


def digest(array: pa.Array) -> bytes:
    return block_digest(pa.RecordBatch.from_arrays([array], names=["x"]))


def test_now_stands_for_a_time_that_must_be_given() -> None:
    declared = weltigen.read_model("CREATE TABLE a (id integer PRIMARY KEY, at timestamp NOT NULL);\n").declared
    asked = weltigen.World(replace(declared, window=("2024-01-01", "now")))
    with pytest.raises(UsageError, match="no time was given"):
        asked.dataset()
    assert asked.dataset(now="2024-02-01").frame("a")["at"].max() < pd.Timestamp("2024-02-01")
    with pytest.raises(UsageError, match="is not a valid timestamp"):
        asked.dataset(now="soon")
