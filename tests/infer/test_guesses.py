"""What a source leaves open: kinds by names and types, and checks understood as limits."""

from __future__ import annotations

from pathlib import Path

import pytest

import weltigen
from weltigen.infer import infer
from weltigen.model import KindSource, PatternSource, WeightsSource
from weltigen.model.origins import Origin


def guesses(columns: str, entity: str = "thing") -> dict[str, str]:
    world = weltigen.read_model(f"CREATE TABLE {entity} (id integer PRIMARY KEY, {columns});")
    sources = {field.name: field.source for field in world.entity(entity).fields}
    return {name: source.kind for name, source in sources.items() if isinstance(source, KindSource)}


KINDS = {
    "given-name": "given_name varchar(40)|fname text|vorname text|prenom text|usr_first_name text", "name": "full_name text",
    "family-name": "lastName text|nachname text|apellido text", "email": "contact_email varchar(90)|eMail text|correo text",
    "tel": "mobile_phone text|tel varchar(20)|telefon text", "username": "login text", "bday": "born_on date|geburtsdatum date",
    "town": "home_town text|city varchar(30)|ort text|homecity text|ville text", "latitude": "lat numeric(8,5)",
    "postal-code": "zip varchar(9)|plz char(5)|code_postal text", "longitude": "lng double precision", "iban": "iban varchar(34)",
    "isbn-13": "isbn char(13)", "ean-13": "barcode varchar(20)", "moment": "created_at timestamp|updated_at timestamptz|valid_from date",
    "iso-4217-currency": "currency char(3)", "iso-3166-country": "country_code char(2)", "uri": "website text|feed_url text",
    "ipv4": "remote_addr varchar(45)|client_ip inet", "sha-256": "checksum char(64)", "password": "password_hash text", "text": "description text|bemerkung text",
    "uuid": "external_uuid uuid", "code": "odd varchar(5)", "thing-name": "title varchar(80)|name text", "street-address": "street varchar(60)|address text|strasse text",
    "file-path": "image_path text", "mime-type": "content_type text", "mac-address": "mac macaddr", "epoch": "mtime bigint|last_seen integer", "host-name": "hostName text", "json": "settings jsonb|preferences text", "image": "photo bytea", "term": "tags text[]",
    "number": "weight_kg real|price numeric(8,2)|quantity integer|preis numeric(9,2)|dur_sec integer|lat_ms integer",
    "time-zone": "tz varchar(40)", "duration": "",
}  # fmt: skip


@pytest.mark.parametrize(("column", "kind"), [(c, k) for k, columns in KINDS.items() for c in columns.split("|") if c])
def test_a_field_is_guessed_from_its_name_and_type(column: str, kind: str) -> None:
    assert list(guesses(column).values()) == [kind]


@pytest.mark.parametrize(
    ("entity", "kind"),
    [
        ("passenger", "name"),
        ("ports", "place-name"),
        ("tbl_kunden", "name"),
        ("falconer", "name"),
        ("municipality", "town"),
        ("vessel", "vessel-name"),
        ("company", "organization"),
        ("cargo", "thing-name"),
    ],
)
def test_a_name_is_of_a_person_a_place_or_a_firm_by_its_entity(entity: str, kind: str) -> None:
    assert guesses("name varchar(60)", entity)["name"] == kind


def test_words_say_which_values_how_often_and_that_they_are_secret() -> None:
    world = weltigen.read_model(
        "CREATE TABLE member (id integer PRIMARY KEY, is_active boolean NOT NULL, status varchar(20), type varchar(3), pay_status text NOT NULL,"
        " price numeric(6,2) NOT NULL, deleted_at timestamp, password_hash text NOT NULL, note varchar(90), x text);"
        "COMMENT ON COLUMN member.x IS 'their e-mail';"
    )
    fields = {field.name: field for field in world.entity("member").fields}
    weights = {name: dict(f.source.weights) for name, f in fields.items() if isinstance(f.source, WeightsSource)}
    assert weights["is_active"] == {"true": 84, "false": 16} and list(weights["status"]) == ["active", "inactive", "blocked"]
    assert list(weights["pay_status"])[:2] == ["paid", "pending"]
    assert isinstance(fields["type"].source, PatternSource) and fields["price"].source == KindSource(
        kind="number", parameters=(("from", "2"), ("to", "400"), ("shape", "price"))
    )
    assert fields["deleted_at"].present and fields["deleted_at"].present.share == 0.06 and fields["password_hash"].secret
    assert fields["x"].source == KindSource(kind="email") and fields["x"].guess and "comment" in fields["x"].guess.reason
    assert fields["note"].guess and fields["status"].guess and fields["note"].guess.sure
    rows = world.dataset(rows={"member": 2000}).frame("member")
    assert (
        rows["deleted_at"].notna().mean() < 0.1 and 0.8 < rows["is_active"].mean() < 0.9 and rows["price"].between(2, 400).all()
    )


def test_moments_follow_each_other_as_their_names_tell() -> None:
    world = weltigen.read_model(
        "CREATE TABLE trip (id integer PRIMARY KEY, ends_at timestamp NOT NULL, starts_at timestamp NOT NULL, updated_at timestamp NOT NULL,"
        " created_at timestamp NOT NULL, valid_from date NOT NULL, valid_to date NOT NULL, max_load integer NOT NULL, min_load integer NOT NULL);"
    )
    rows = world.dataset(rows={"trip": 500}).frame("trip")
    for early, late in (
        ("starts_at", "ends_at"),
        ("created_at", "updated_at"),
        ("valid_from", "valid_to"),
        ("min_load", "max_load"),
    ):
        assert (rows[early] <= rows[late]).all()
    declared = weltigen.read_model(
        "CREATE TABLE t (id integer PRIMARY KEY, created_at date, updated_at date CHECK (updated_at < '2020-01-01'));"
    )
    assert all(bound.origin is not Origin.GUESSED for bound in declared.entity("t").field("updated_at").limits.bounds)


def test_relationships_that_no_source_declares_are_guessed() -> None:
    tables = "CREATE TABLE port (id integer PRIMARY KEY); CREATE TABLE ship (id integer PRIMARY KEY, home_port_id integer NOT NULL, parent_id integer);"
    (home, parent) = weltigen.read_model(tables).entity("ship").relations
    assert (
        (home.target, home.name, parent.target) == ("port", "home_port", "ship") and home.guess and home.guess.confidence == 0.75
    )
    log = "CREATE TABLE log (id integer PRIMARY KEY, ship_id integer REFERENCES ship, port integer, late_ship integer);"
    more = weltigen.read_model(tables + log)
    assert [r.name for r in more.entity("ship").relations] == ["home_port", "parent"]
    assert [r.name for r in more.entity("log").relations] == [
        "ship"
    ]  # where some are declared, a column has to say that it is one
    bare = weltigen.read_model(tables + log.replace("REFERENCES ship", "")).entity("log").relations
    assert [r.name for r in bare] == ["ship", "port"]  # `late_ship` may be anything


def test_a_slug_is_made_from_the_title_beside_it() -> None:
    def parameters(fields: str) -> dict[str, str]:
        source = weltigen.read_model(f"CREATE TABLE t ({fields})").declared.entity("t").field("slug").source
        assert isinstance(source, KindSource) and source.kind == "slug"
        return dict(source.parameters)

    assert parameters("title text NOT NULL, slug text") == {"of": "title"} and parameters("slug text") == {}


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
        ("s = 'x' OR s = 'y' OR s IN ('z')", {"s": ["x,y,z"]}), ("d <= CURRENT_DATE", {"d": ["<= now"]}), ("d < now()", {"d": ["< now"]}),
        ("(d >= '2024-01-01' AND d < '2025-01-01') OR (d >= '2025-01-01' AND d < '2026-01-01')", {"d": [">= 2024-01-01", "< 2026-01-01"]}),
        ("NOT (a > 5)", {"a": ["<= 5"]}), ("s = ANY (ARRAY['x'::varchar, 'y']::text[])", {"s": ["x,y"]}),
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
        ("s <> 'x' OR d IS NOT NULL", "s = 'x'"),
        ("s = 'x' OR d IS NULL", "s = 'x'"),
    ],
)
def test_a_check_on_presence_says_when_a_field_is_there(check: str, when: str) -> None:
    world = weltigen.read_model(f"CREATE TABLE t (id integer PRIMARY KEY, s varchar(9), d date, CHECK ({check}));")
    present = world.entity("t").field("d").present
    assert present is not None and present.when == when


@pytest.mark.parametrize(
    ("check", "holds"),
    [
        ("(a IS NULL) = (b IS NULL)", "(a.isna() == b.isna()).all() and a.isna().any() and a.notna().any()"),
        (
            "(a IS NULL AND b IS NULL AND c IS NULL) OR (a IS NOT NULL AND b IS NOT NULL AND c IS NOT NULL)",
            "(a.isna() == b.isna()).all() and (a.isna() == c.isna()).all()",
        ),
        (
            "num_nonnulls(a, b, c) = 1",
            "((a.notna() * 1 + b.notna() + c.notna()) == 1).all() and min(a.count(), b.count(), c.count()) > 200",
        ),
        ("num_nonnulls(a, b) <= 1", "((a.notna() * 1 + b.notna()) <= 1).all() and (a.isna() & b.isna()).any()"),
        ("(a IS NOT NULL)::int + (b IS NOT NULL)::int = 1", "(a.notna() != b.notna()).all()"),
        ("a IS NOT NULL OR b IS NOT NULL", "(a.notna() | b.notna()).all()"),
        ("NOT (s = 'x' AND a IS NULL)", "a[s == 'x'].notna().all()"),
        ("s = lower(s)", "(s.str.lower() == s).all()"),
        ("trim(s) <> '' AND length(s) = 4", "(s.str.len() == 4).all()"),
        ("s ~ '^[A-Z]{2}'", "s.str.match('[A-Z]{2}').all()"),
        ("s LIKE 'QX%'", "s.str.startswith('QX').all()"),
        ("a > b + c", "(a[a.notna() & b.notna() & c.notna()] > (b + c)[a.notna() & b.notna() & c.notna()]).all()"),
        ("extract(year from d) = 2025", "(d.dropna().map(lambda day: day.year) == 2025).all()"),
        ("s <> 'x' OR a > 50", "(a[(s == 'x') & a.notna()] > 50).all()"),
    ],
)
def test_a_check_of_any_form_holds_in_every_row(check: str, holds: str, tmp_path: Path) -> None:
    world = weltigen.read_model(
        "CREATE TABLE t (id integer PRIMARY KEY, s varchar(20) NOT NULL, a smallint CHECK (a BETWEEN 0 AND 99), b smallint CHECK (b BETWEEN 0 AND 60),"
        f" c smallint CHECK (c BETWEEN 0 AND 30), d date, CHECK ({check}));"
    )
    assert not world.notices
    dataset = world.dataset(rows={"t": 900})
    rows = dataset.frame("t")
    assert eval(holds, {name: rows[name] for name in "sabcd"})
    dataset.write(tmp_path / "out", format="parquet")
    assert not weltigen.audit(world, tmp_path / "out")


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


def test_a_function_of_the_database_is_named_as_notices() -> None:
    world = weltigen.read_model("CREATE TABLE t (id integer PRIMARY KEY,\n a integer CHECK (draught_ok(a)));")
    (note,) = world.notices
    assert "draught_ok" in note.what and "rows may break" in note.what
    assert note.place is not None and note.place.line == 2


def test_inferring_twice_changes_nothing(ferry: weltigen.World) -> None:
    assert infer(ferry.declared) == ferry.declared
