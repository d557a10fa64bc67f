"""Rules across fields and rows that contradict each other, or say what makes no sense: told at once, with place, fact and hint."""

from __future__ import annotations

from pathlib import Path

import pytest

import weltigen

from ..beacons import SQL

BASE = "weltigen: 3\nmodel: beacons.sql\nwindow: [2024-01-01, 2025-07-01]\nentities:\n"
UNREADABLE = [
    ("tower: {fields: {watches: {compute: count(wach)}}}", "there is no entity 'wach'", "did you mean 'watch'"),
    ("tower: {fields: {watches: {compute: count(sighting)}}}", "sighting does not refer to tower", "lamp, watch"),
    ('tower: {fields: {watches: {compute: "sum(watch.hours * oil_rate)"}}}', "is over the rows of watch; 'oil_rate' is not one of these", None),
    ("tower: {fields: {watches: {compute: count(*)}}}", "a child entity is named here, as in count(ENTITY)", None),
    ("watch: {fields: {oil: {compute: tower.keeper.hours}}}", "tower refers to no 'keeper'", "refers to nothing"),
    ("watch: {fields: {oil: {compute: tower.oil_rat}}}", "tower has no field 'oil_rat'", "did you mean 'oil_rate'"),
    ('watch: {fields: {oil: {compute: "hours * (2"}}}', "is not an SQL expression", None),
    ("watch: {fields: {oil: {compute: hours, const: 3}}}", "has two sources: const and compute", "keep one of them"),
    ("keeper: {cohorts: {old: {share: 130%}}}", "a share lies between 0 and 1", None),
    ("keeper: {cohorts: {old: {share: 10%, children: {wach: 3}}}}", "no wach refers to keeper", "did you mean 'watch'"),
    ("keeper: {cohorts: {old: {fields: {grade: {const: master}}}}}", "has a share, or a number of rows", None),
    ("keeper: {cohorts: {grade: {rows: 3}}}", "keeper has a field of that name", "call the cohort otherwise"),
    ("keeper: {cohorts: {old: {rows: 3, references: {mentor: {tree: {}}}}}}", "a cohort cannot set tree", "favour, weights, present and where"),
    ("tower: {fields: {range_nm: {follows: {field: name, correlation: 0.4}}}}", "only numbers, dates and times have ranks", None),
    ("tower: {fields: {range_nm: {follows: {field: height_m, correlation: 1.4}}}}", "less than or equal to 1", None),
    ("watch: {fields: {weather: {weights: [{of: {calm: 1}}, {when: hours > 3, of: {storm: 1}}]}}}", "it comes last", None),
    ("sighting: {states: {field: stat, history: sighting_event, start: {seen: 1}}}", "has no field 'stat'", "did you mean 'state'"),
    ("sighting: {states: {field: state, history: watch, start: {seen: 1}}}", "no 'watch' refers to sighting", "sighting_event"),
    ("sighting: {states: {field: state, history: sighting_event, start: {seen: 1}, steps: {sen: {lost: 1}}}}",
     "nothing leads to the state 'sen'", "did you mean 'seen'"),
]  # fmt: skip
IMPOSSIBLE = [
    ("tower: {fields: {oil_used: {compute: sum(watch.oil)}}}", "must not be null, but sum(watch.oil) is, where a row has no watch",
     'compute: "coalesce(sum(watch.oil), …)"'),
    ("tower: {fields: {watches: {compute: name}}}", "tower.watches is integer, but name gives a text", None),
    ('tower: {fields: {watches: {compute: "name + 1"}}}', "mixes types: add of a text and a number", None),
    ("tower: {fields: {watches: {compute: height_m / 0}}}", "divides by 0", None),
    ("tower: {checks: [height_m % (watches * 0) > 1]}", "divides by", None),
    ("watch: {checks: [hours + 1]}", "is not a condition", None),
    ("watch: {checks: [tower.name + 1 > 2]}", "mixes types", None),
    ("tower: {fields: {oil_used: {compute: 0 - oil_rate}}}", "no row can keep oil_used >= 0, since oil_used is -9 to -0.25", "change the check"),
    ("tower: {fields: {watches: {compute: height_m, maximum: 3}, height_m: {minimum: 5}}}", "no row can keep watches <= 3", None),
    ("tower: {fields: {watches: {compute: height_m + 1}, height_m: {compute: watches + 1}}}", "tower.watches → tower.height_m → tower.watches", None),
    ("{tower: {fields: {oil_used: {compute: 'coalesce(sum(watch.oil), 0)'}}}, watch: {fields: {oil: {compute: tower.oil_used / 2}}}}",
     "each needs the other first", "drop one of these rules"),
    ("tower: {fields: {name: {compute: kind}}}", "unique (lower(name)) cannot be kept by name: it is computed", None),
    ("keeper: {rows: 10, cohorts: {a: {share: 60%, fields: {grade: {const: novice}}}, b: {rows: 7, fields: {grade: {const: master}}}}}",
     "the cohorts a and b set grade for different rows, and need 13 rows of 10", "smaller shares"),
    ("keeper: {cohorts: {a: {rows: 3, fields: {badge: {const: x123}}}}}", "decides its values", None),
    ("{keeper: {rows: 40, cohorts: {a: {share: 50%, children: {watch: 30}}}}, watch: {rows: 100}}", "need 600 in all, but there are 100", None),
    ("{tower: {rows: 9}, watch: {rows: {per: tower, each: 3}}, keeper: {cohorts: {a: {share: 50%, children: {watch: {mean: 9, most: 4}}}}}}",
     "do not agree", None),
    ("keeper: {fields: {grade: {const: admiral}}}", "it is always 'admiral', which", None),
    ("{watch: {fields: {begun_at: {after: keeper.hired_on}}}, keeper: {fields: {hired_on: {minimum: 2024-06-01}}}}",
     "keeper.hired_on may be as late as", "keeper.hired_on: {maximum:"),
    ("{sighting: {fields: {seen_at: {after: watch.logged_at, before: watch.keeper.left_on}}}, watch: {fields: {logged_at: {minimum: 2025-01-01}}},"
     " keeper: {fields: {left_on: {maximum: 2024-02-02}}}}", "which leaves no room", "maximum:"),
    ("sighting: {states: {field: state, history: sighting_event, start: {seen: 1}, steps: {seen: {lost: 1}, lost: {seen: 1}}}}",
     "from 'seen' no steps lead to an end", "a step to itself"),
    ("{sighting: {states: {field: state, history: sighting_event, start: {seen: 1}, steps: {seen: {lost: 1}}}, fields: {state: {weights: {found: 1}}}}}",
     "weights give 'found', which is not a state", None),
    ("{sighting: {states: {field: state, history: sighting_event, start: {seen: 1}}}, sighting_event: {rows: 5}}", "cannot say how many rows", None),
    ("{tower: {rows: 3}, lamp: {rows: {per: tower, each: 3}, fields: {glass: {enum: [red]}}}}", "has only 2 values of glass", "at most 2 rows fit"),
    ("{keeper: {cohorts: {late: {rows: 9, fields: {hired_on: {minimum: 2025-01-01}}}}}, watch: {fields: {begun_at: {after: keeper.hired_on}}}}",
     "keeper.hired_on must be >= 2025-01-01, but at the latest 2023-12-31, so that watch.begun_at has room", "change one of the two"),
    ("keeper: {rows: 27000}", "unique (upper(badge)) has only 26,000 values of badge", "at most 26,000 rows fit"),
]  # fmt: skip


def opened(folder: Path, entities: str) -> weltigen.World:
    (folder / "beacons.sql").write_text(SQL)
    (folder / "world.yaml").write_text(
        BASE.removesuffix("\n") + (f" {entities}" if entities.startswith("{") else f" {{{entities}}}") + "\n"
    )
    return weltigen.open_world(folder / "world.yaml")


@pytest.mark.parametrize(("entities", "fact", "hint"), UNREADABLE, ids=[fact[:50] for _, fact, _ in UNREADABLE])
def test_what_makes_no_sense_is_told_when_it_is_read(tmp_path: Path, entities: str, fact: str, hint: str | None) -> None:
    with pytest.raises(weltigen.WeltigenError) as error:
        opened(tmp_path, entities)
    problem = next((problem for problem in error.value.problems if fact in problem.fact), None)
    assert problem is not None and problem.place is not None, str(error.value)
    assert (hint or "") in (problem.hint or "")


@pytest.mark.parametrize(("entities", "fact", "hint"), IMPOSSIBLE, ids=[fact[:50] for _, fact, _ in IMPOSSIBLE])
def test_a_contradiction_is_proven(tmp_path: Path, entities: str, fact: str, hint: str | None) -> None:
    problems = opened(tmp_path, entities).plan().problems
    problem = next((problem for problem in problems if fact in problem.fact), None)
    assert problem is not None and problem.place is not None, list(map(str, problems))
    assert (hint or "") in (problem.hint or "")


def test_a_field_that_is_set_for_one_run_keeps_the_rules_or_is_refused(ferry: weltigen.World, tmp_path: Path) -> None:
    told = {"passenger.nam": 1, "booking.total": "much", "sailing.vessel_id": 3, "booking.status": None, "port": 4}
    with pytest.raises(weltigen.WeltigenError) as error:
        ferry.dataset(set=told)
    said = [
        "has no field 'nam'",
        "'much' is not a valid numeric(8,2)",
        "follows the reference to vessel",
        "must not be null",
        "names no field",
    ]
    assert len(error.value.problems) == 5 and all(any(text in p.fact for p in error.value.problems) for text in said)
    plan = ferry.plan(set={"passenger.loyalty_tier": "platinum", "passenger.email": "a@b.example"})
    assert {str(p.place): p.fact.split(":")[1][:24] for p in plan.problems if str(p.place) == "--set"} == {
        "--set": " it is always 'platinum',"[:24]
    }
    assert any("unique (email) has only 1 value of email for 5,000 rows" in problem.fact for problem in plan.problems)
    with pytest.raises(weltigen.WeltigenError, match="no field of it can be made again"):
        ferry.dataset(set={"booking.booked_at": "2023-01-01"}).write(tmp_path / "out")
    assert not (tmp_path / "out").exists()
    dataset = ferry.dataset(set={"passenger.loyalty_tier": "gold", "passenger.phone": None, "passenger.marketing_consent": True})
    frame = dataset.frame("passenger")
    assert set(frame["loyalty_tier"]) == {"gold"} and frame["phone"].isna().all() and frame["marketing_consent"].all()
    assert dataset.frame("booking")["passenger_id"].equals(ferry.dataset().frame("booking")["passenger_id"])


def test_a_check_that_hardly_any_row_keeps_says_how_rare_it_is_and_what_to_declare(tmp_path: Path) -> None:
    world = opened(
        tmp_path,
        'tower: {rows: 500, checks: ["height_m * 7 = 211 + oil_rate * 0"], fields: {height_m: {minimum: 1, maximum: 90}}}',
    )
    with pytest.raises(weltigen.WeltigenError) as error:
        world.dataset(rows={"watch": 0, "lamp": 0}).table("tower")
    (problem,) = error.value.problems
    assert "as height_m, oil_rate are drawn, 0 of 500 rows keep it" in problem.fact and "`compute` one of height_m" in (
        problem.hint or ""
    )
    assert problem.place is not None and problem.place.line == 4


def test_limits_that_contradict_each_other_are_named_with_the_end_that_stands_in_the_way() -> None:
    world = weltigen.read_model(
        "CREATE TABLE firing (firing_id integer PRIMARY KEY, peak_c integer NOT NULL CHECK (peak_c > 1300),"
        " soak_c integer NOT NULL CHECK (soak_c < 1000), CHECK (soak_c > peak_c))"
    )
    with pytest.raises(weltigen.WeltigenError) as error:
        world.dataset()
    (problem,) = error.value.problems
    assert "firing.peak_c is at least 1301, which leaves no room" in problem.fact
    assert problem.hint is not None and "would have to be at most 998" in problem.hint


@pytest.mark.parametrize(("filled", "kept"), [('compute: "height_m * 0 + 7"', False), ("minimum: 20, maximum: 40", True)])
def test_a_check_is_held_for_rows_that_a_cohort_fills_in_another_way(tmp_path: Path, filled: str, kept: bool) -> None:
    world = opened(
        tmp_path,
        "tower: {rows: 200, checks: [range_nm % 5 = 0], fields: {range_nm: {minimum: 5, maximum: 60}},"
        f" cohorts: {{tall: {{share: 30%, fields: {{range_nm: {{{filled}}}}}}}}}}}",
    )
    if not kept:
        with pytest.raises(weltigen.WeltigenError, match="range_nm % 5 = 0"):
            world.dataset(rows={"watch": 0, "lamp": 0}).table("tower")
        return
    ranges = world.dataset(rows={"watch": 0, "lamp": 0}).table("tower")["range_nm"].to_pylist()
    assert len(ranges) == 200 and not any(value % 5 for value in ranges)
