"""Every kind of value keeps one contract: distinct where it promises that, within its room, in reserved ranges, alike in any batching."""

from __future__ import annotations

import base64
import importlib
import json
import re
from datetime import datetime
from ipaddress import ip_address, ip_network
from pathlib import Path
from uuid import UUID

import numpy as np
import phonenumbers
import pyarrow as pa
import pytest

import weltigen
from weltigen.model import FieldType, TypeName
from weltigen.model.problems import UsageError
from weltigen.randomness import Bits
from weltigen.values import LANGUAGES, FromText, KindError, People, PersonPart, Request, Values, axis_of, get_kind, kind_names
from weltigen.values.atlas import HOME, data_by_country, every_town
from weltigen.values.person_names import FAMILY_FIRST, folded_names, locale_of, names
from weltigen.values.pools import fold
from weltigen.values.registry import Kind, register

WINDOW = (datetime(2024, 1, 1), datetime(2026, 1, 1))
PARAMETERS = {
    "pattern": {"of": "[A-Z]{2}[0-9]{1,3}"}, "abbreviation": {"of": "title"}, "country-fact": {"of": "code"}, "language-fact": {"of": "code"}, "named-value": {"of": "name"}, "review": {"of": "stars"}, "thread": {"of": "subject"}, "turns": {"of": "at"}, "side": {"of": "it", "first": "true", "then": "false"}, "course": {"of": "at", "from": "2", "to": "9"}, "document-number": {"of": "issued_on", "form": "S{yy}-{number:4}"},
}  # fmt: skip
LENGTH = {"image": 900, "pdf": 4000, "thread": 400}  # characters that a field of it has, where 130 hold none


def spelled(kind: Kind, type_name: TypeName) -> dict[str, int]:
    if type_name in (TypeName.VARCHAR, TypeName.CHAR):
        return {"length": LENGTH.get(kind.name, 130)}
    return {"precision": 9, "scale": 2} if type_name is TypeName.NUMERIC else {}


def request(kind: Kind, type_name: TypeName | None = None, **changes: object) -> Request:
    name = type_name or sorted(kind.suits)[-1]
    asked = {
        "type": FieldType(name=name, **spelled(kind, name)),
        "rows": 2000,
        "window": WINDOW,
        "parameters": PARAMETERS.get(kind.name, {}),
    }
    return Request(**{**asked, **changes})


@pytest.mark.parametrize("name", kind_names())
def test_a_kind_is_distinct_and_fits_every_type_that_it_suits(name: str) -> None:
    kind = get_kind(name)
    for type_name in sorted(kind.suits):
        asked = request(kind, type_name, unique=True, room=spelled(kind, type_name).get("length"))
        prepared = kind.prepare(asked)
        if not isinstance(prepared, Values):
            continue
        count = min(prepared.space, 3000)
        positions = Bits(1, "x", name).distinct(prepared.space, np.arange(count))
        column = prepared.decode(positions)
        assert column.type in (asked.type.arrow(), pa.string(), pa.binary())
        assert column.null_count == 0 and len(set(map(repr, column.to_pylist()))) == count
        assert [prepared.decode(positions[i : i + 1])[0] for i in range(min(5, count))] == [
            column[i] for i in range(min(5, count))
        ]
        if asked.room:
            assert max(len(text) for text in column.to_pylist()) <= asked.room


@pytest.mark.parametrize("name", kind_names())
def test_what_is_drawn_lies_in_its_space_and_fits_alone_as_in_a_batch(name: str) -> None:
    kind = get_kind(name)
    words = Bits(2, "x", name).words(np.arange(4000))
    for type_name in sorted(kind.suits):
        room = spelled(kind, type_name).get("length")
        prepared = kind.prepare(request(kind, type_name, room=room, now=WINDOW[1], topic="tools", language="de"))
        if not isinstance(prepared, Values) or prepared.draw is None:
            continue
        positions = prepared.draw(words)
        assert positions.dtype == np.uint64 and int(positions.max()) < prepared.space
        column = prepared.decode(positions).to_pylist()
        assert column[:5] == [prepared.decode(prepared.draw(words[at : at + 1]))[0].as_py() for at in range(5)]
        assert not room or max(map(len, column)) <= room


@pytest.mark.parametrize(
    ("shape", "low", "middle", "high"),
    [("tail", 0, 0.02, 0.2), ("low", 0, 0.01, 0.1), ("hump", 0.35, 0.45, 0.55), ("salary", 0.3, 0.44, 0.56)],
)
def test_numbers_have_the_shape_that_was_asked_for(shape: str, low: float, middle: float, high: float) -> None:
    kind = get_kind("number")
    made = kind.prepare(request(kind, TypeName.INTEGER, parameters={"from": "0", "to": "100000", "shape": shape}))
    assert isinstance(made, Values) and made.draw is not None
    drawn = np.sort(made.decode(made.draw(Bits(1, "x", shape).words(np.arange(20_000)))).to_numpy()) / 100_000
    assert (
        low <= drawn[5_000] <= drawn[10_000] <= high
        and abs(drawn[10_000] - middle) < 0.12
        and drawn.min() >= 0
        and drawn.max() <= 1
    )


def test_prices_end_as_prices_do() -> None:
    kind = get_kind("number")
    made = kind.prepare(request(kind, TypeName.NUMERIC, parameters={"from": "2", "to": "400", "shape": "price"}))
    assert isinstance(made, Values) and made.draw is not None
    cents = [round(float(price) * 100) for price in made.decode(made.draw(Bits(1, "x", "y").words(np.arange(5000)))).to_pylist()]
    endings = [cent % 100 for cent in cents]
    assert min(cents) >= 200 and max(cents) <= 40_000 and sum(end in (0, 50, 95, 99) for end in endings) > 0.7 * len(endings)


def test_a_kind_cannot_be_declared_twice_and_an_unknown_one_is_told() -> None:
    with pytest.raises(ValueError, match="there is a kind 'tel' already"):
        register(Kind(name="tel", summary="", prepare=lambda request: Values(space=1, decode=lambda positions: positions)))
    with pytest.raises(UsageError, match="did you mean 'email'"):
        get_kind("emial")


def people(rows: int, locale: str = "en", **room: int | None) -> People:
    return People(Bits(3, "passenger", "", "person"), rows, room.get("given"), room.get("family"), locale=locale)


@pytest.mark.parametrize(
    ("rows", "locale"), [(1, "en"), (20, "de"), (200_000, "en"), *((3000, tag) for tag in (*LANGUAGES, "en-US"))]
)
def test_addresses_follow_the_names_and_never_repeat(rows: int, locale: str) -> None:
    """In any locale: in its own script and the order of its names, and in Latin letters."""
    crowd = people(rows, locale)
    persons = crowd.at(np.arange(rows))
    asked = {name: request(get_kind(name), locale=locale) for name in ("given-name", "family-name", "email", "name", "gender")}
    asked["latin"] = request(get_kind("name"), locale=locale, parameters={"script": "latin"})
    column = {name: get_kind("name" if name == "latin" else name).prepare(one) for name, one in asked.items()}
    made = {name: part.decode(crowd, persons).to_pylist() for name, part in column.items() if isinstance(part, PersonPart)}
    assert len(set(made["email"])) == rows
    known = names(locale)
    women = set(known.women)
    genders = {name in women: gender for name, gender in zip(made["given-name"], made["gender"], strict=True)}
    for given, family, email, full, latin, gender in zip(
        *(made[n][:300] for n in ("given-name", "family-name", "email", "name", "latin", "gender")), strict=True
    ):
        local, domain = email.split("@")
        assert re.fullmatch(re.escape(f"{folded_names(given)}.{folded_names(family)}") + r"\d*", local)
        assert domain.endswith((".example", "example.com", "example.org"))
        assert full == (f"{family} {given}" if locale in FAMILY_FIRST else f"{given} {family}")
        assert (folded_names(latin.split(" ")[0]), latin.isascii() or not known.latin) == (
            folded_names(given.split(" ")[0]),
            True,
        )
        woman = given in women
        assert gender == genders[woman]
        assert not (woman and known.of_women and family in known.families and known.of_women(family) != family)
    if rows >= 20:
        assert len(set(made["family-name"])) > 10 and len(set(made["given-name"])) > 10


def test_lists_of_names_fold_apart_so_that_addresses_can() -> None:
    for tag in (*LANGUAGES, "en-US"):
        known = names(tag)
        assert not {tag} - {locale_of(tag)} and len(known.given) >= 150 and len(known.families) >= 150
        assert tag in ("ja", "el", "ar", "hi") or (len(known.given) >= 300 and len(known.families) >= 600)
        for listed in (known.given, known.families, known.family_forms[len(known.families) :]):
            folded = [folded_names(name) for name in listed]
            assert all(re.fullmatch("[a-z]+", entry) for entry in folded) and len(set(folded)) == len(folded)


def test_all_forms_of_a_persons_name_are_those_of_one_person(tmp_path: Path) -> None:
    (
        tmp_path / "m.sql"
    ).write_text("""CREATE TABLE purser (id int PRIMARY KEY, given_name varchar(40) NOT NULL, family_name varchar(40) NOT NULL,
             initials char(2) NOT NULL, nickname varchar(20) NOT NULL, title varchar(8) NOT NULL, gender char(1) NOT NULL)""")
    kinds = "\n".join(
        f"      {name}: {{kind: {kind}}}" for name, kind in (("nickname", "nickname"), ("title", "honorific-prefix"))
    )
    (file := tmp_path / "world.yaml").write_text(f"weltigen: 3\nmodel: m.sql\nentities:\n  purser:\n    fields:\n{kinds}\n")
    made = weltigen.open_world(file).dataset().frame("purser")
    assert (made["initials"] == made["given_name"].str[0] + made["family_name"].str[0]).all()
    assert (made["nickname"].str[0].str.lower() == made["given_name"].str[0].str.lower()).mean() > 0.9
    assert set(made["title"]) <= {"Ms", "Mr", "Dr", "Prof."} and not ((made["title"] == "Mr") & (made["gender"] == "F")).any()


def test_invented_places_are_none_that_there_are(tmp_path: Path) -> None:
    columns = "town varchar(60), region varchar(60), latitude numeric(9,6), country_code char(2), postal_code varchar(12)"
    (tmp_path / "m.sql").write_text(f"CREATE TABLE quay (id int PRIMARY KEY, {columns}, name varchar(60) NOT NULL UNIQUE)")
    at_home = (name for own in data_by_country("town_names").values() for name in own.values())
    real = {fold(name) for name in (*every_town().names, *at_home)}
    for locale in LANGUAGES:
        said = (
            f"weltigen: 3\nmodel: m.sql\nlanguage: {locale}\nentities: {{quay: {{rows: 400, fields: {{name: {{kind: town}}}}}}}}"
        )
        (tmp_path / "real.yaml").write_text(said)
        (tmp_path / "made.yaml").write_text(f"{said}\nplaces: invented")
        known, made = (weltigen.open_world(tmp_path / f"{name}.yaml").dataset().frame("quay") for name in ("real", "made"))
        assert (
            set(map(fold, known["town"].dropna())) <= real and not set(map(fold, [*made["town"].dropna(), *made["name"]])) & real
        )
        assert made["country_code"].notna().any() and made["town"].nunique() > 60 and made["name"].is_unique


# with what postal codes begin there, as their authorities say
BEGINS = {
    "de-DE": {"Bayern": "[89]", "Hamburg": "2[0-2]", "Berlin": "1[0-3]", "Sachsen": "0", "Saarland": "66"},
    "fr-FR": {"Île-de-France": "(75|77|78|9[1-5])", "Bretagne": "(22|29|35|56)", "Corse": "20"},
    "es-ES": {"Comunidad de Madrid": "28", "Galicia": "(15|27|32|36)", "Navarra": "31"},
    "en-US": {"California": "9[0-6]", "Texas": "7[5-9]", "New York": "1[0-4]", "Florida": "3[2-4]", "Massachusetts": "0[12]"},
}


@pytest.mark.parametrize("locale", BEGINS)
def test_a_postal_code_lies_in_its_region(locale: str, tmp_path: Path) -> None:
    columns = "town varchar(60) NOT NULL, region varchar(60) NOT NULL, region_code char(2), postal_code varchar(5) NOT NULL"
    (tmp_path / "m.sql").write_text(f"CREATE TABLE quay (id int PRIMARY KEY, {columns})")
    (tmp_path / "m.yaml").write_text(f"weltigen: 3\nmodel: m.sql\nlanguage: {locale}\nentities: {{quay: {{rows: 3000}}}}")
    rows = weltigen.open_world(tmp_path / "m.yaml").dataset().frame("quay")
    assert rows["postal_code"].str.fullmatch("[0-9]{5}").all() and not {"Munich", "Rome"} & set(rows["town"])
    for region, begins in BEGINS[locale].items():
        there = rows[rows["region"] == region]
        assert len(there) and there["postal_code"].str.match(begins).all(), region
    if locale in ("de-DE", "en-US"):
        letters = rows.dropna(subset=["region_code"]).groupby("region")["region_code"].unique()
        assert all(len(one) == 1 for one in letters) and {"CA", "BY"} & {one[0] for one in letters}


def test_narrow_columns_get_short_names_or_a_clear_refusal() -> None:
    crowd = people(100, given=4, family=5)
    assert max(map(len, crowd.given)) <= 4 and max(map(len, crowd.family)) <= 5
    with pytest.raises(KindError, match="too narrow"):
        people(100, given=1)


def test_numbers_and_addresses_lie_in_ranges_that_nobody_has() -> None:
    def sample(name: str) -> list[str]:
        prepared = get_kind(name).prepare(request(get_kind(name), TypeName.TEXT))
        assert isinstance(prepared, Values)
        words = Bits(1, "x", name).words(np.arange(5000))
        positions = prepared.draw(words) if prepared.draw else words % np.uint64(prepared.space)
        return prepared.decode(positions).to_pylist()

    # https://www.ofcom.org.uk keeps these for drama, the mobile range among them
    fiction = (
        "1632960",
        "7700900",
        "1134960",
        "1144960",
        "1154960",
        "1164960",
        "1174960",
        "1184960",
        "1214960",
        "1314960",
        "1414960",
    )
    areas = tuple(f"+44{area}" for area in (*fiction, "2079460", "2890180", "2920180"))
    assert all(re.fullmatch(r"\+44\d{10}", number) and number.startswith(areas) for number in sample("tel"))
    reserved = [ip_network(net) for net in ("192.0.2.0/24", "198.51.100.0/24", "203.0.113.0/24")]
    assert all(any(ip_address(text) in net for net in reserved) for text in sample("ipv4"))
    assert all(re.match(r"https://www\.example\.(com|org|net)/", text) for text in sample("uri"))
    assert all(UUID(text).version == 4 and UUID(text).variant.startswith("specified in RFC 4122") for text in sample("uuid"))


def test_place_names_are_plain_while_few_are_needed_and_numbered_at_last() -> None:
    kind = get_kind("place-name")
    few, many, most = (kind.prepare(request(kind, TypeName.TEXT, rows=rows, unique=True)) for rows in (50, 4000, 100_000))
    assert all(isinstance(values, Values) and values.distinct_folded for values in (few, many, most))
    plain = few.decode(np.arange(200, dtype=np.uint64)).to_pylist()
    assert all(re.fullmatch("[A-Z][a-z]+", name) for name in plain)
    assert many.space >= 16_000 and most.space >= 100_000
    last = most.decode(np.array([most.space - 1], np.uint64))[0].as_py()
    assert re.search(r" \d+$", last)


def test_remarks_read_like_sentences() -> None:
    kind = get_kind("remark")
    values = kind.prepare(request(kind, TypeName.TEXT))
    for text in values.decode(Bits(1, "x", "y").distinct(values.space, np.arange(500))).to_pylist():
        assert re.fullmatch(r"[A-Z][^.]{10,}\.( [A-Z][^.]{10,}\.)?", text) and "  " not in text
    narrow = kind.prepare(request(kind, TypeName.VARCHAR, room=60))
    assert max(map(len, narrow.decode(np.arange(narrow.space, dtype=np.uint64)).to_pylist())) <= 60


def test_slugs_are_made_from_the_text_beside_them() -> None:
    import pyarrow as pa

    made = get_kind("slug").prepare(request(get_kind("slug"), parameters={"of": "title"}))
    assert isinstance(made, FromText)
    assert made.convert(pa.array(["Port Skerrow", "Île d'Été  2", None])).to_pylist() == ["port-skerrow", "ile-dete-2", None]


@pytest.mark.parametrize(
    "spelled", ["smallint", "bigint", "numeric(9,2)", "double precision", "date", "timestamp", "timestamptz", "time"]
)
def test_an_axis_gives_back_what_it_read(spelled: str) -> None:
    from weltigen.readers.sql import parse_type

    axis = axis_of(parse_type(spelled))
    assert axis is not None
    units = np.array([0, 1, 77, 20_000], np.int64) * (1_000_000 if spelled == "time" else 1)
    column = axis.column(units)
    assert column.type == axis.type.arrow() and axis.read(column).tolist() == units.tolist()
    assert [
        axis.units(axis.value(int(u)).replace(tzinfo=None) if spelled == "timestamptz" else axis.value(int(u))) for u in units
    ] == units.tolist()
    masked = axis.column(units, np.array([False, True, False, False]))
    assert masked.null_count == 1 and axis.read(masked)[0] == 0 and axis.read(masked.slice(2)).tolist() == units[2:].tolist()


def test_times_keep_to_their_steps_and_hours() -> None:
    kind = get_kind("date-time")
    values = kind.prepare(
        request(kind, TypeName.TIMESTAMP, parameters={"step": "15 minutes", "hours": "06:00-21:00", "rising": "true"})
    )
    made = values.decode(np.arange(values.space, dtype=np.uint64)).to_pylist()
    assert values.rising and made == sorted(made) and len(set(made)) == len(made) == 731 * 61
    assert {moment.minute for moment in made} == {0, 15, 30, 45}
    assert (min(made), max(made)) == (datetime(2024, 1, 1, 6), datetime(2025, 12, 31, 21))
    with pytest.raises(KindError, match="06:00-22:00"):
        kind.prepare(request(kind, TypeName.TIMESTAMP, parameters={"hours": "9 to 5"}))


JUDGES = {
    "issn": "issn", "isbn-10": "isbn", "ismn": "ismn", "gtin-8": "ean", "gtin-12": "ean", "gtin-14": "ean", "gln": "ean", "ean-13": "ean", "sscc": "ean_", "imei": "imei",
    "iccid": "luhn", "isin": "isin_", "lei": "lei", "isni": "isni", "creditor-reference": "iso11649", "imo-number": "imo", "container-number": "iso6346", "nhs-number": "gb.nhs",
    "npi": "luhn_80840", "wagon-number": "luhn", "siren": "fr.siren", "siret": "fr.siret", "nir": "fr.nir", "dni": "es.dni", "nie": "es.nie", "bsn": "nl.bsn", "ahv-number": "ch.ssn",
    "oib": "hr.oib", "cpf": "br.cpf", "cnpj": "br.cnpj", "rut": "cl.rut", "sin": "luhn", "aba-number": "us.rtn", "snomed-id": "verhoeff", "orcid": "iso7064.mod_11_2", "card-number": "luhn",
    "isbn-13": "isbn",
}  # fmt: skip


@pytest.mark.parametrize("name", JUDGES)
def test_check_digits_are_right_by_an_independent_judge(name: str) -> None:
    made = get_kind(name).prepare(request(get_kind(name), TypeName.TEXT))
    assert isinstance(made, Values)
    texts = made.decode(Bits(5, "x", name).distinct(made.space, np.arange(min(made.space, 2000)))).to_pylist()
    module, _, before = JUDGES[name].partition("_") if not JUDGES[name].startswith("iso7064") else (JUDGES[name], "", "")
    judge = importlib.import_module(f"stdnum.{module}")
    for text in texts:
        plain = before + re.sub("[^0-9A-Z]", "", text) if module in ("luhn", "verhoeff", "iso7064.mod_11_2") else text
        if JUDGES[name].endswith("_"):  # of countries and lengths that the judge does not take, which is why we took them
            checked = {"ean": lambda t: judge.calc_check_digit(t[:-1]) == t[-1], "isin": lambda t: judge.calc_check_digit(t[:-1]) == t[-1],
                       }[module](plain)  # fmt: skip
        else:
            checked = judge.is_valid(plain)
        assert checked, text


IBANS = "AT BE CH CZ DE DK EE ES FI FR GB GR HU IE IT LU NL NO PL PT SE".split()


@pytest.mark.parametrize(
    ("name", "country"),
    [*(("iban", code) for code in IBANS), *(("vat-number", code) for code in "BE DE ES FR GB GR IT NL PL PT SE".split())],
)
def test_numbers_of_accounts_and_taxes_are_right_in_their_country(name: str, country: str) -> None:
    made = get_kind(name).prepare(request(get_kind(name), TypeName.TEXT, parameters={"country": country}))
    assert isinstance(made, Values)
    texts = made.decode(Bits(5, country, name).distinct(made.space, np.arange(min(made.space, 2000)))).to_pylist()
    told = importlib.import_module("stdnum.iban" if name == "iban" else "stdnum.gb.vat" if country == "GB" else "stdnum.eu.vat")
    assert all(map(told.is_valid, texts)) and len(set(texts)) == len(texts)


@pytest.mark.parametrize("locale", [*LANGUAGES, "en-US", "en-IE", "de-AT", "de-CH", "fr-BE", "nl-BE", "pt-PT", "es-ES"])
def test_what_is_said_of_a_place_follows_the_locale(locale: str) -> None:
    """The country that a tag names; its telephone numbers have the form of the country, and streets are those of the language."""
    kinds = ("iso-3166-country", "tel", "country-name", "street-address", "organization", "region")
    words, made = Bits(6, "place", locale).words(np.arange(2000)), {}
    for name in kinds:
        values = get_kind(name).prepare(request(get_kind(name), locale=locale, language=locale[:2]))
        assert isinstance(values, Values)
        made[name] = values.decode(values.draw(words) if values.draw else words % np.uint64(values.space)).to_pylist()
    (country,) = set(made["iso-3166-country"])
    assert country == (locale[3:] or HOME[locale]) and len(set(made["country-name"])) == 1 and len(set(made["region"])) > 2
    assert all(phonenumbers.is_possible_number(phonenumbers.parse(text)) for text in {*made["tel"]})
    assert {phonenumbers.parse(text).country_code for text in made["tel"][:50]} == {phonenumbers.country_code_for_region(country)}
    assert len(set(made["street-address"])) > 500 and len(set(made["organization"])) > 100
    mixed = get_kind("tel").prepare(request(get_kind("tel"), locale=locale, parameters={"country": "mixed"}))
    assert isinstance(mixed, Values) and mixed.draw is not None
    abroad = [phonenumbers.parse(text) for text in mixed.decode(mixed.draw(words)).to_pylist()]
    assert all(map(phonenumbers.is_possible_number, abroad)) and len({number.country_code for number in abroad}) > 12
    other_script = locale[:2] in ("ja", "el", "ar", "hi")
    assert all(not other_script or not text.isascii() for name in ("street-address", "organization") for text in made[name])


def test_identifiers_of_vehicles_and_observations_are_right_and_those_with_time_rise() -> None:
    vehicle = get_kind("vin").prepare(request(get_kind("vin"), TypeName.TEXT))
    values = {
        **{str(n): n for n in range(10)},
        **dict(zip("ABCDEFGHJKLMNPRSTUVWXYZ", [*range(1, 9), *range(1, 6), 7, 9, *range(2, 10)], strict=True)),
    }
    for text in vehicle.decode(np.arange(0, 10**9, 10**6 + 7, dtype=np.uint64)).to_pylist():
        total = sum(values[c] * w for c, w in zip(text, (8, 7, 6, 5, 4, 3, 2, 10, 0, 9, 8, 7, 6, 5, 4, 3, 2), strict=True))
        assert text[8] == "0123456789X"[total % 11]
    for name in ("uuid-7", "ulid"):
        made = get_kind(name).prepare(request(get_kind(name), TypeName.TEXT))
        texts = made.decode(np.sort(np.random.default_rng(1).integers(0, made.space, 5000, dtype=np.uint64))).to_pylist()
        assert made.rising and texts == sorted(texts) and len(set(texts)) == 5000
        if name == "uuid-7":
            assert all(UUID(text).version == 7 and 1704067200 <= (UUID(text).int >> 80) / 1000 <= 1767225600 for text in texts)
    tokens = get_kind("json-web-token").prepare(request(get_kind("json-web-token"), TypeName.TEXT))
    for token in tokens.decode(np.arange(0, tokens.space, tokens.space // 500, dtype=np.uint64)).to_pylist():
        header, body, signature = token.split(".")
        assert (
            json.loads(base64.urlsafe_b64decode(body + "=="))["sub"][0] == "u"
            and json.loads(base64.b64decode(header + "=")) == {"alg": "none"}
            and not signature
        )


@pytest.mark.parametrize("language", ["en-GB", "de-DE", "fr-FR", "es-ES"])
@pytest.mark.parametrize("whose", ["guardian", "emergency-contact", "x"])
def test_somebody_else_of_a_row_agrees_with_themselves_alone(language: str, whose: str, tmp_path: Path) -> None:
    """The parts of each person of a row are of one person, and the two are different ones; so they are in any batching."""
    kinds = {
        "given": "given-name",
        "family": "family-name",
        "whole": "name",
        "mail": "email",
        "login": "username",
        "sex": "gender",
    }
    fields = [
        f"      {part}: {{kind: {kind}}}\n      other_{part}: {{kind: {{{kind}: {{row: {whose}}}}}}}"
        for part, kind in kinds.items()
    ]
    columns = ", ".join(f"{part} text, other_{part} text" for part in kinds)
    (tmp_path / "model.sql").write_text(f"CREATE TABLE keeper (id integer PRIMARY KEY, {columns});")
    text = (
        f"weltigen: 3\nmodel: model.sql\nlanguage: {language}\nentities:\n  keeper:\n    rows: 3000\n    fields:\n"
        + "\n".join(fields)
    )
    (tmp_path / "world.yaml").write_text(text + "\n")
    dataset = weltigen.open_world(tmp_path / "world.yaml").dataset()
    rows = dataset.frame("keeper").dropna()
    for own in ("", "other_"):
        assert (rows[f"{own}given"] + " " + rows[f"{own}family"] == rows[f"{own}whole"]).all()
        assert (
            rows[f"{own}mail"].str.partition("@")[0].str.rstrip("0123456789") == rows[f"{own}login"].str.rstrip("0123456789")
        ).all()
        sexes = rows.groupby(f"{own}given")[f"{own}sex"].nunique()
        assert sexes.max() == 1 and 0.25 < (rows[f"{own}sex"] == rows[f"{own}sex"].iloc[0]).mean() < 0.75
    assert (rows["given"] != rows["other_given"]).all() and (rows["family"] != rows["other_family"]).mean() > 0.9
    common = rows["other_given"].value_counts()
    assert len(common) > 60 and common.iloc[0] > 2 * common.median(), "a few are common, as those of the first persons are"
    assert dataset.row("keeper", 1700)["other_mail"] == dataset.table("keeper").slice(1700, 1)["other_mail"][0].as_py()


@pytest.mark.parametrize(
    ("kind", "told"),
    [
        ("slug: {of: cod}", "no field 'cod' to make it from; did you mean 'code'"),
        ("slug: {of: id}", "made from a text, and id is integer"),
        ("document-number: {of: code}", "made from a date or a time, and code is varchar"),
        ("country-fact: {of: code, tell: anthem}", "nothing is known of 'anthem'; it tells: name, code"),
        ("language-fact: {tell: name}", "it needs the field"),
    ],
)
def test_what_a_text_is_made_from_is_there_and_fits(tmp_path: Path, kind: str, told: str) -> None:
    (tmp_path / "m.sql").write_text(
        "CREATE TABLE pier (id serial PRIMARY KEY, code varchar(9) NOT NULL, title varchar(60) NOT NULL);"
    )
    (tmp_path / "w.yaml").write_text(
        f"weltigen: 3\nmodel: m.sql\nentities:\n  pier:\n    fields:\n      title: {{kind: {{{kind}}}}}\n"
    )
    with pytest.raises(weltigen.WeltigenError, match=rf"(?s)w.yaml:6:\d+.*{re.escape(told)}"):
        weltigen.open_world(tmp_path / "w.yaml").dataset().frame("pier")
