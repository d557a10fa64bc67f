"""Bare models of related tables, whatever their names, types, references and rules: each is filled, and keeps all of its rules."""

from __future__ import annotations

from pathlib import Path

import pytest

import weltigen

from ..bare_models import bare_model

# models that were refused, or filled wrongly, before a fault was mended
REFUSED = (53, 148, 226, 1200, 2479, 2592, 5638, 7662, 9516, 9738, 12284, 30211, 60160, 91345, 96319)


@pytest.mark.parametrize("seed", [*range(14, 34), *REFUSED])
def test_a_bare_model_is_filled_and_keeps_its_rules(seed: int, tmp_path: Path) -> None:
    sql = bare_model(seed, references=not 24 <= seed < 36)
    world = weltigen.read_model(sql, dialect=("postgresql", "sqlite")[seed % 2])
    dataset = world.dataset(seed=seed)
    assert all(dataset.counts.values())
    dataset.write(tmp_path / "out.sqlite")
    report = weltigen.audit(world, tmp_path / "out.sqlite")
    assert (list(map(str, report)), report.unchecked) == ([], ())


FOUND = {  # what such models were refused for, or filled wrongly, each as small as it can be
    "what it is made from may be equal": "first_name varchar(8) UNIQUE, slug varchar(100) UNIQUE",
    "a slug of a title that is null": "title char(2), slug varchar(8), code varchar(8), CHECK ((code IS NULL) = (slug IS NULL))",
    "too short for a name": "full_name char(2) NOT NULL, first_name varchar(255) NOT NULL CHECK (first_name <> '')",
    "one of few, above a key": "owner_id smallint UNIQUE, tax_rate smallint NOT NULL, CHECK (owner_id <= tax_rate)",
    "before the window": "birth_date timestamp, delivered_at timestamp NOT NULL, CHECK (delivered_at < birth_date)",
    "an order against the usual one": "first_seen_at timestamp, started_at timestamp,"
    " CHECK (started_at IS NOT NULL OR first_seen_at IS NOT NULL)",
    "a total of many": "total smallint UNIQUE, total_cents numeric(6,2)",
    "beyond its type": "odometer_start numeric(10,2), odometer_end numeric(5,2)",
    "far apart, and told apart": "hourly_rate bigint, previous_reading bigint, UNIQUE (hourly_rate, previous_reading),"
    " CHECK (previous_reading <= hourly_rate)",
    "moments as numbers": "starts_on integer UNIQUE, net_weight integer NOT NULL UNIQUE, CHECK (starts_on < net_weight)",
    "persons' dates": "first_seen_at date UNIQUE, birth_date date UNIQUE, CHECK (first_seen_at <= birth_date)",
    "a chain": "parent_id integer UNIQUE REFERENCES leg, path varchar(100) NOT NULL, CHECK (id > 0)",
    "a check of a chain": "owner_id integer UNIQUE REFERENCES leg, weight integer CHECK (weight BETWEEN 1 AND 5), CHECK (weight < owner_id)",
    "a rule that another holds": "reading double precision UNIQUE, max_score numeric(3,1) NOT NULL, total_cents numeric(3,1) UNIQUE,"
    " UNIQUE (reading, max_score), CHECK (max_score < total_cents)",
}  # fmt: skip


@pytest.mark.parametrize("name", FOUND)
def test_what_was_refused_is_filled(name: str, tmp_path: Path) -> None:
    world = weltigen.read_model(f"CREATE TABLE leg (id integer PRIMARY KEY, {FOUND[name]});", dialect="postgresql")
    world.dataset(rows={"leg": 60}).write(tmp_path / "out.sqlite")
    assert not list(map(str, weltigen.audit(world, tmp_path / "out.sqlite")))


def test_a_circle_of_one_to_one_is_filled() -> None:
    sql = """CREATE TABLE trip (id integer PRIMARY KEY, approved_by integer UNIQUE REFERENCES crew);
    CREATE TABLE berth (id integer PRIMARY KEY, trip_id integer NOT NULL UNIQUE REFERENCES trip);
    CREATE TABLE crew (id integer PRIMARY KEY, berth_id integer NOT NULL UNIQUE REFERENCES berth);"""
    counts = weltigen.read_model(sql, dialect="sqlite").dataset().counts
    assert counts["trip"] == counts["crew"] > 40


@pytest.mark.parametrize("seed", [*range(100, 108), 40, 56, 130, 163, 92071, 96545])
def test_the_draft_of_a_bare_model_gives_its_rows(seed: int, tmp_path: Path) -> None:
    model, drafted = tmp_path / "model.sql", tmp_path / "world.yaml"
    model.write_text(bare_model(seed))
    weltigen.draft(model, drafted)
    one, two = weltigen.open_world(model).dataset(), weltigen.open_world(drafted).dataset()
    assert list(one.counts.items()) == list(two.counts.items())
    for name in one.counts:
        assert one.table(name).equals(two.table(name)), name
