"""What a source leaves open: kinds by names and types, and checks understood as limits."""

from __future__ import annotations

import pytest

import weltigen
from weltigen.infer import infer
from weltigen.model import KindSource


def guesses(columns: str, entity: str = "thing") -> dict[str, str]:
    world = weltigen.read_model(f"CREATE TABLE {entity} (id integer PRIMARY KEY, {columns});")
    sources = {field.name: field.source for field in world.entity(entity).fields}
    return {name: source.kind for name, source in sources.items() if isinstance(source, KindSource)}


@pytest.mark.parametrize(
    ("column", "kind"),
    [
        ("given_name varchar(40)", "given-name"), ("fname text", "given-name"), ("vorname text", "given-name"),
        ("lastName text", "family-name"), ("full_name text", "name"), ("contact_email varchar(90)", "email"),
        ("mobile_phone text", "tel"), ("home_town text", "place-name"), ("lat numeric(8,5)", "latitude"),
        ("lng double precision", "longitude"), ("born_on date", "bday"), ("created_at timestamp", "date-time"),
        ("currency char(3)", "iso-4217-currency"), ("country_code char(2)", "iso-3166-country"), ("website text", "uri"),
        ("remote_addr varchar(45)", "ipv4"), ("checksum char(64)", "sha-256"), ("description text", "remark"),
        ("external_uuid uuid", "uuid"), ("sku varchar(10)", "code"), ("title varchar(80)", "label"), ("active boolean", "boolean"),
        ("weight_kg real", "number"), ("opens time", "time"), ("valid_from date", "date"), ("odd varchar(5)", "code"),
    ],
)  # fmt: skip
def test_a_field_is_guessed_from_its_name_and_type(column: str, kind: str) -> None:
    assert list(guesses(column).values()) == [kind]


@pytest.mark.parametrize(
    ("entity", "kind"),
    [("passenger", "name"), ("ports", "place-name"), ("vessel", "vessel-name"), ("company", "organization"), ("cargo", "label")],
)
def test_a_name_is_of_a_person_a_place_or_a_firm_by_its_entity(entity: str, kind: str) -> None:
    assert guesses("name varchar(60)", entity)["name"] == kind


def test_a_slug_is_made_from_the_title_beside_it() -> None:
    assert guesses("title text NOT NULL, slug text")["slug"] == "slug"
    assert guesses("slug text")["slug"] != "slug"


def limits(check: str) -> tuple[str | None, dict[str, list[str]]]:
    world = weltigen.read_model(
        "CREATE TABLE t (id integer PRIMARY KEY, a integer, b integer, s varchar(20), d date, e date, f integer REFERENCES t, g integer"
        f" REFERENCES t, CHECK ({check}));"
    )
    entity = world.entity("t")
    found = {f.name: [str(b) for b in f.limits.bounds] + [",".join(x.values) for x in f.limits.allowed] for f in entity.fields}
    return entity.checks[0].met_by, {name: texts for name, texts in found.items() if texts}


@pytest.mark.parametrize(
    ("check", "expected"),
    [
        ("a > 5 AND a <= 9", {"a": ["> 5", "<= 9"]}), ("a BETWEEN -3 AND 7", {"a": [">= -3", "<= 7"]}), ("10 > a", {"a": ["< 10"]}),
        ("s IN ('x', 'y')", {"s": ["x,y"]}), ("a = 4", {"a": ["4"]}), ("d < e", {"e": ["> d"]}), ("d >= '2024-01-01'", {"d": [">= 2024-01-01"]}),
        ("e IS NULL OR e >= d", {"e": [">= d"]}), ("(a > 1)", {"a": ["> 1"]}), ("a + b > 3", {}), ("a <> b", {}), ("a > 1 OR b > 1", {}),
    ],
)  # fmt: skip
def test_a_check_becomes_limits_where_it_can(check: str, expected: dict[str, list[str]]) -> None:
    met_by, found = limits(check)
    assert found == expected
    assert (met_by is not None) == bool(expected)


@pytest.mark.parametrize(
    ("check", "when"),
    [
        ("(s = 'x') = (d IS NOT NULL)", "s = 'x'"),
        ("s <> 'x' OR d IS NOT NULL", "NOT (s <> 'x')"),
        ("s = 'x' OR d IS NULL", "s = 'x'"),
    ],
)
def test_a_check_on_presence_says_when_a_field_is_there(check: str, when: str) -> None:
    world = weltigen.read_model(f"CREATE TABLE t (id integer PRIMARY KEY, s varchar(9), d date, CHECK ({check}));")
    present = world.entity("t").field("d").present
    assert present is not None and present.when == when


def test_lengths_patterns_and_differing_references_are_understood() -> None:
    world = weltigen.read_model(
        "CREATE TABLE t (id integer PRIMARY KEY, s varchar(20) CHECK (length(s) >= 4 AND length(s) < 9), p text CHECK (p ~ '^[A-Z]{3}$'),"
        " f integer REFERENCES t, g integer REFERENCES t, CHECK (f <> g));"
    )
    entity = world.entity("t")
    assert (entity.field("s").limits.min_length, entity.field("s").limits.max_length) == (4, 8)
    assert entity.field("p").limits.patterns[0].pattern == "[A-Z]{3}"
    assert entity.relation("g").unlike == "f"
    assert all(check.met_by for check in entity.checks)


def test_a_function_of_the_database_is_named_as_not_understood() -> None:
    world = weltigen.read_model("CREATE TABLE t (id integer PRIMARY KEY,\n a integer CHECK (draught_ok(a)));")
    (note,) = world.not_understood
    assert "draught_ok" in note.what and "rows may break" in note.what
    assert note.place is not None and note.place.line == 2


def test_inferring_twice_changes_nothing(ferry: weltigen.World) -> None:
    assert infer(ferry) == ferry
