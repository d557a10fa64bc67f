"""What names mean: words, topics, fields that agree in a row, order in time, sums; judged on models with expectations of their own."""

from __future__ import annotations

import re
import subprocess
import sys
from dataclasses import replace
from pathlib import Path

import pandas as pd
import pytest

import weltigen
from weltigen.infer.circles import without_circles
from weltigen.infer.naming.language import language_of
from weltigen.infer.vocabularies import vocabulary_of
from weltigen.model import Bound, KindSource, Limits, World
from weltigen.model.origins import Origin
from weltigen.model.problems import UnreadableError
from weltigen.values.atlas import countries, every_town
from weltigen.values.vocabulary import topic, topics

ROOT = Path(__file__).parent.parent.parent
SEA = re.compile(r"(?i)\b(anchor|harbour|keel|mooring|rudder|galley|helm|quay|ferr(y|ies)|vessel|gangway|sailing)\b")


@pytest.mark.parametrize(
    ("name", "words"),
    [
        ("usr_fnm", "user first name"), ("rcvdDt", "received date"), ("hostName", "host name"), ("lastvisit", "last visit"), ("sortOrder", "sort order"),
        ("Lieferdatum", "delivery date"), ("zaehlernummer", "meter number"), ("code_postal", "code postal"), ("fecha_nacimiento", "date birth"), ("maxAttempts", "maximum attempts"),
        ("address_line1", "address line 1"), ("sha256", "sha256"), ("tbl_kunden", "customer"), ("angelegt_von", "created from"), ("qrcode", "qr code"), ("weightkg", "weight kg"),
    ],
)  # fmt: skip
def test_a_name_becomes_english_words(name: str, words: str) -> None:
    assert " ".join(vocabulary_of(World(name="", entities=())).words(name)) == words


def test_the_language_of_a_model_is_that_of_its_names() -> None:
    german = "CREATE TABLE kunde (id integer PRIMARY KEY, vorname text, nachname text, anrede text, strasse text, plz char(5), ort text, bemerkung text)"
    world = weltigen.read_model(german)
    assert world.declared.language == "de-DE" and language_of(["user", "name", "status", "price", "created_at"]) == "en"
    rows = world.dataset(rows={"kunde": 300}).frame("kunde")
    women = rows["anrede"] == "Frau"
    assert set(rows["anrede"].dropna()) == {"Frau", "Herr"} and "Hans" not in set(rows["vorname"][women])
    assert (
        rows["strasse"].dropna().str.contains("straße|weg|allee|platz|gasse").all()
        and rows["plz"].dropna().str.fullmatch(r"\d{5}").all()
    )


def test_all_that_is_said_of_a_place_in_a_row_agrees() -> None:
    world = weltigen.read_model(
        "CREATE TABLE branch (id integer PRIMARY KEY, city varchar(60) NOT NULL, country_code char(2) NOT NULL, country varchar(60) NOT NULL,"
        " phone varchar(20) NOT NULL, time_zone varchar(40) NOT NULL, lat numeric(8,5) NOT NULL, currency char(3) NOT NULL)"
    )
    towns, known = every_town(), countries()
    at = {
        (name, code): (zone, lat)
        for name, code, zone, lat in zip(towns.names, towns.countries, towns.zones, towns.latitude, strict=True)
    }
    rows = world.dataset(rows={"branch": 400}).table("branch").to_pylist()
    for row in rows:
        country = known[row["country_code"]]
        zone, latitude = at[row["city"], row["country_code"]]
        assert (row["country"], row["currency"], row["time_zone"]) == (country.name, country.currency, zone)
        assert row["phone"].startswith(f"+{country.phone}") and abs(float(row["lat"]) - latitude) < 0.1
    assert len({row["country_code"] for row in rows}) > 8


def test_moments_follow_each_other_states_tell_what_is_there_and_amounts_add_up() -> None:
    world = weltigen.read_model(
        "CREATE TABLE visit (id integer PRIMARY KEY, status varchar(12) NOT NULL, created_at timestamp NOT NULL, starts_at timestamp NOT NULL,"
        " ends_at timestamp NOT NULL, cancelled_at timestamp, cancel_reason varchar(80));"
        "CREATE TABLE bill (id integer PRIMARY KEY, issued_on date NOT NULL, due_on date NOT NULL, net_amount numeric(10,2) NOT NULL,"
        " tax_rate numeric(4,2) NOT NULL, tax_amount numeric(10,2) NOT NULL, gross_amount numeric(10,2) NOT NULL);"
    )
    dataset = world.dataset(rows={"visit": 500, "bill": 500})
    visit, bill = dataset.frame("visit"), dataset.frame("bill")
    length = visit["ends_at"] - visit["starts_at"]
    assert (visit["created_at"] <= visit["starts_at"]).all() and length.between("0 days", "3 hours").all()
    cancelled = visit["status"] == "cancelled"
    assert (
        cancelled.any()
        and (visit["cancelled_at"].notna() == cancelled).all()
        and (visit["cancel_reason"].notna() == cancelled).all()
    )
    assert (visit["starts_at"].dt.hour.between(6, 21)).mean() > 0.9 and (visit["starts_at"].dt.day_of_week > 4).mean() < 0.12
    assert (bill["gross_amount"] == bill["net_amount"] + bill["tax_amount"]).all()
    assert ((bill["tax_amount"] - bill["net_amount"] * bill["tax_rate"] / 100).astype(float).abs() <= 0.0051).all()
    assert all(0 <= (due - issued).days <= 30 for issued, due in zip(bill["issued_on"], bill["due_on"], strict=True))
    plain = world.declared
    assert all(b.origin.name == "GUESSED" for f in plain.entity("visit").fields for b in f.limits.bounds)


def test_a_default_is_the_usual_value_and_flags_are_flags() -> None:
    world = weltigen.read_model(
        "CREATE TABLE job (id integer PRIMARY KEY, is_del smallint NOT NULL DEFAULT 0, active char(1) NOT NULL DEFAULT 'Y', role varchar(9) NOT NULL DEFAULT 'guest',"
        " retries integer NOT NULL DEFAULT 0, mtime bigint NOT NULL, cpu_pct numeric(5,2) NOT NULL, settings jsonb NOT NULL)"
    )
    rows = world.dataset(rows={"job": 1000}).frame("job")
    assert set(rows["is_del"]) == {0, 1} and rows["is_del"].mean() < 0.2 and (rows["active"] == "Y").mean() > 0.7
    assert 0.5 < (rows["role"] == "guest").mean() < 0.7 and (rows["retries"] == 0).mean() > 0.5 and rows["retries"].min() == 0
    assert rows["mtime"].between(1_600_000_000, 1_900_000_000).all() and rows["cpu_pct"].between(0, 100).all()


def test_every_topic_has_words_and_only_ships_speak_of_the_sea() -> None:
    assert len(topics()) >= 160
    for one in topics().values():
        assert len(set(one.words("names"))) >= 40 and len(one.words("names")) == len(set(one.words("names"))), one.name
        assert len(one.words("things")) >= 3 and len(one.words("issues")) >= 3 and len(one.words("kinds")) >= 2, one.name
        if one.name not in ("ships", "oceanography", "sailmaking"):
            assert not [text for words in one.lists.values() for text in words if SEA.search(text)], one.name


@pytest.mark.parametrize(
    ("column", "least", "most"),
    [("text", 40, 700), ("varchar(60)", 8, 60), ("text CHECK (length(description) >= 250)", 250, 4000)],
)
def test_descriptions_differ_fit_and_are_right_english(column: str, least: int, most: int) -> None:
    world = weltigen.read_model(f"CREATE TABLE tool (id integer PRIMARY KEY, description {column} NOT NULL)")
    texts = world.dataset(rows={"tool": 400}).frame("tool")["description"]
    assert texts.str.len().between(least, most).all() and texts[:100].nunique() > (95 if most > 60 else 10)
    assert not texts.str.contains(r"\b[Aa] [aeio]|\b[Aa]n [bcdfgjkpqtvwz]|  |\{|\}|\.\.").any()
    assert (
        texts.str.contains(
            "|".join(re.escape(thing) for thing in topic("tools").words("things") + topic("tools").words("uses")), case=False
        ).mean()
        > 0.7
    )


def test_a_topic_is_said_or_guessed_and_plain_guesses_leave_shapes_out(tmp_path: Path) -> None:
    (tmp_path / "m.sql").write_text(
        "CREATE TABLE okapi_enclosure (id integer PRIMARY KEY, name varchar(40) NOT NULL, price numeric(8,2) NOT NULL);"
    )
    text = "weltigen: 3\nmodel: m.sql\nguesses: plain\nentities: {okapi_enclosure: {topic: tools}}\n"
    (tmp_path / "w.yaml").write_text(text)
    assert weltigen.open_world(tmp_path / "m.sql").declared.entity("okapi_enclosure").topic == "animals"
    world = weltigen.open_world(tmp_path / "w.yaml")
    price = world.declared.entity("okapi_enclosure").field("price").source
    assert world.declared.entity("okapi_enclosure").topic == "tools" and isinstance(price, KindSource)
    assert "shape" not in dict(price.parameters)
    (tmp_path / "w.yaml").write_text(text.replace("topic: tools", "topic: toolz"))
    with pytest.raises(weltigen.WeltigenError, match=r"no topic is called 'toolz'(.|\n)*did you mean 'tools'"):
        weltigen.open_world(tmp_path / "w.yaml")


def test_bare_models_are_plausible_to_a_practitioner() -> None:
    said = subprocess.run([sys.executable, ROOT / "plausible" / "judge.py"], capture_output=True, text=True, check=True).stdout
    share = float(said.split("all ")[1].split("%")[0].split()[-1])
    assert share >= 95, said


BESIDE = """
CREATE TABLE keeper (id integer PRIMARY KEY, name text NOT NULL, created_at timestamp NOT NULL);
CREATE TABLE claim (
    id integer PRIMARY KEY, keeper_id integer NOT NULL REFERENCES keeper, claim_no varchar(20) NOT NULL UNIQUE, filed_on date NOT NULL,
    paid boolean NOT NULL, paid_on date, cancelled_at timestamp, cancellation_reason text, total numeric(9, 2) NOT NULL,
    tax_amount numeric(9, 2) NOT NULL, country char(2) NOT NULL, slug varchar(60) NOT NULL UNIQUE
);
"""


def test_rows_come_in_turn_after_those_they_belong_to_and_say_when_and_why() -> None:
    dataset = weltigen.read_model(BESIDE).dataset(rows={"keeper": 200, "claim": 1500})
    keepers, claims = dataset.frame("keeper"), dataset.frame("claim")
    assert keepers["created_at"].dt.date.diff().dropna().map(lambda step: step.days >= -2).all()  # weekends move back
    filed = pd.to_datetime(claims["filed_on"])
    created = claims["keeper_id"].map(keepers.set_index("id")["created_at"])
    assert (filed >= created.dt.normalize()).all() and (filed.diff().dt.days.dropna() >= 0).mean() > 0.8
    assert (claims["claim_no"] == [f"CL-{day.year}-{row:04}" for row, day in zip(claims["id"], filed, strict=True)]).all()
    assert (claims["paid_on"].notna() <= claims["paid"]).all() and claims["paid_on"].notna().any()
    assert (claims["cancellation_reason"].notna() <= claims["cancelled_at"].notna()).all()
    assert claims["tax_amount"].between(0, claims["total"]).all() and claims["country"].isin(countries()).all()
    assert claims["slug"].str.fullmatch("[a-z0-9]+(-[a-z0-9]+)*").all()


def test_numbers_of_documents_go_on_behind_those_that_are_there() -> None:
    world = weltigen.read_model(BESIDE)
    claim = world.declared.entity("claim")
    given = dict.fromkeys(claim.field_names) | {
        "id": "7",
        "keeper_id": "1",
        "claim_no": "CL-2024-0900",
        "filed_on": "2024-05-01",
        "paid": "false",
    }
    given |= {"total": "9", "tax_amount": "1", "country": "GB", "slug": "one"}
    fixed = replace(claim, fixed=(tuple(given.items()),))
    rows = weltigen.World(replace(world.declared, entities=(world.declared.entity("keeper"), fixed))).dataset(
        rows={"claim": 2000}
    )
    numbers = rows.frame("claim")["claim_no"]
    assert numbers.is_unique and numbers.str[-4:].astype(int)[1:].min() > 900


@pytest.mark.parametrize(
    ("language", "names"),
    [("de", "Zähler Wärmepumpe Vertrag"), ("fr", "compteur dossier contrat"), ("es", "contador contrato factura")],
)
def test_other_languages_speak_with_their_own_articles(language: str, names: str) -> None:
    table = "CREATE TABLE item (id integer PRIMARY KEY, name varchar(60) NOT NULL, description text NOT NULL, remark text NOT NULL, iban varchar(34) NOT NULL)"
    world = replace(weltigen.read_model(table).declared, language=f"{language}-{language.upper()}")
    for subject in ("energy", "office", "pharmacy"):
        entity = replace(world.entity("item"), topic=subject, topic_is_guessed=False)
        rows = weltigen.World(replace(world, entities=(entity,))).dataset(rows={"item": 300}).frame("item")
        said = " ".join([*rows["description"], *rows["remark"]])
        assert not re.search(r"[{}]|  | de el |\bde le\b|\bà le\b|l'[bcdfgjklmnpqrstvwxz]|\bzu (dem|der) (der|die|das)\b", said)
        assert rows["description"][:100].nunique() > 90 and not re.search(r"\b(the|and|with|please)\b", said)
        turned = [int("".join(str(int(sign, 36)) for sign in text[4:] + text[:4])) for text in rows["iban"]]
        assert all(number % 97 == 1 for number in turned) and rows["iban"].str.startswith(language.upper()).all()
        if subject != "pharmacy":
            assert any(name in said for name in names.split())


def test_a_world_file_gives_words_of_its_own(tmp_path: Path) -> None:
    (tmp_path / "lamps.csv").write_text("names,kinds\nStorm lamp,hanging\nMiner lamp,standing\n")
    (tmp_path / "model.sql").write_text(
        "CREATE TABLE clasp (id integer PRIMARY KEY, name varchar(30) NOT NULL, description text NOT NULL);"
        "CREATE TABLE lamp (id integer PRIMARY KEY, name varchar(30) NOT NULL, category varchar(20) NOT NULL);"
    )
    text = "weltigen: 3\nmodel: model.sql\nentities:\n  clasp: {words: {names: [Bell], things: [bell, rope clip]}}\n  lamp: {words: lamps.csv}\n"
    (tmp_path / "world.yaml").write_text(text)
    dataset = weltigen.open_world(tmp_path / "world.yaml").dataset()
    clasps, lamps = dataset.frame("clasp"), dataset.frame("lamp")
    assert set(clasps["name"]) == {"Bell"} and clasps["description"].str.contains("(?i)bell|rope clip").mean() > 0.4
    assert set(lamps["name"]) == {"Storm lamp", "Miner lamp"} and set(lamps["category"]) == {"hanging", "standing"}
    for wrong, said in (("names: [Bell]", "nmes: [Bell]"), ("lamps.csv", "none.csv"), ("[Bell]", '[" "]')):
        (tmp_path / "world.yaml").write_text(text.replace(wrong, said))
        with pytest.raises(UnreadableError, match=r"(?s)world.yaml:\d+:\d+.*(did you mean 'names'|cannot be read|has no words)"):
            weltigen.open_world(tmp_path / "world.yaml")


WORKSHOP = """
CREATE TABLE luthier (id serial PRIMARY KEY, workshop_name varchar(80) NOT NULL, master varchar(80) NOT NULL, apprentice varchar(80) NOT NULL, notary varchar(80) NOT NULL);
CREATE TABLE instrument (id serial PRIMARY KEY, luthier_id integer NOT NULL REFERENCES luthier, net_weight_g integer NOT NULL, gross_weight_g integer NOT NULL,
    hits_sold integer NOT NULL, hits_total integer NOT NULL, varnished_on date NOT NULL);
CREATE TABLE repair (id serial PRIMARY KEY, instrument_id integer NOT NULL REFERENCES instrument, brought_in timestamp NOT NULL, finished_at timestamp, picked_up_at timestamp,
    travel_min smallint NOT NULL, wear_score numeric(4, 3) NOT NULL, labour_cost numeric(8, 2) NOT NULL, parts_cost numeric(8, 2), total numeric(9, 2) NOT NULL, seat_no smallint NOT NULL);
CREATE TABLE cylinder (id serial PRIMARY KEY, start_pressure_bar integer NOT NULL, end_pressure_bar integer NOT NULL, flow_lpm integer NOT NULL, witness1_name varchar(60) NOT NULL);
"""  # fmt: skip


def test_what_stands_in_one_row_can_be_of_one_thing() -> None:
    world = weltigen.read_model(WORKSHOP)
    dataset = world.dataset(rows={"luthier": 200, "instrument": 400, "repair": 900, "cylinder": 200})
    luthier, instrument, repair, cylinder = (dataset.frame(name) for name in ("luthier", "instrument", "repair", "cylinder"))
    roles = luthier[["master", "apprentice", "notary"]]
    assert (roles.nunique(axis=1) > 1).all() and (roles.nunique(axis=1) == 3).mean() > 0.97
    assert roles["notary"].str.fullmatch(r"[^\d]+ [^\d]+").all() and not luthier["workshop_name"].isin(roles["master"]).any()
    assert (instrument["net_weight_g"] <= instrument["gross_weight_g"]).all() and (
        instrument["hits_sold"] <= instrument["hits_total"]
    ).all()
    assert (pd.to_datetime(instrument["varnished_on"]) <= pd.Timestamp("2026-01-01")).all()
    assert dataset.plan.world.entity("repair").topic == dataset.plan.world.entity("instrument").topic == "music"
    known = repair.dropna(subset=["finished_at"])
    assert (known["finished_at"] >= known["brought_in"]).all()
    both = known.dropna(subset=["picked_up_at"])
    assert (both["picked_up_at"] >= both["finished_at"]).all() and len(both) > 300
    assert (
        repair["total"].astype(float)
        == (repair["labour_cost"].astype(float) + repair["parts_cost"].fillna(0).astype(float)).round(2)
    ).all()
    assert repair["wear_score"].astype(float).max() <= 1 and repair["seat_no"].between(1, 60).all()
    assert set(repair["travel_min"]) <= set(range(601)) and (cylinder["end_pressure_bar"] <= cylinder["start_pressure_bar"]).all()
    assert cylinder["witness1_name"].str.contains(" ").all() and cylinder["flow_lpm"].min() >= 100


GUILD = """
CREATE TABLE mason (id serial PRIMARY KEY, name varchar(60) NOT NULL UNIQUE, name_lower varchar(60) NOT NULL, joined_unix bigint NOT NULL,
    last_seen_unix bigint, phone varchar(30) NOT NULL, mobile varchar(30) NOT NULL, num_stones integer NOT NULL, num_broken_stones integer NOT NULL,
    digest varchar(10) NOT NULL DEFAULT 'weekly', max_marks integer NOT NULL DEFAULT -1, avatar_id char(36));
CREATE TABLE quarry_stay (id serial PRIMARY KEY, mason_id integer NOT NULL REFERENCES mason, mason_name varchar(60), arrival date NOT NULL,
    departure date NOT NULL, nights integer NOT NULL, line_count integer NOT NULL, net_total numeric(20,4) NOT NULL, vat numeric(20,4) NOT NULL,
    total numeric(20,4) NOT NULL, erected_on date, struck_on date);
CREATE TABLE quarry_stay_line (id serial PRIMARY KEY, quarry_stay_id integer NOT NULL REFERENCES quarry_stay, amount numeric(9,2) NOT NULL);
CREATE TABLE pit (id serial PRIMARY KEY, parent_id integer REFERENCES pit, name varchar(40) NOT NULL, depth integer NOT NULL, path varchar(300) NOT NULL,
    value numeric(8,3) NOT NULL, low_limit numeric(8,3) NOT NULL, high_limit numeric(8,3) NOT NULL, opened_at timestamp NOT NULL,
    closed_at timestamp NOT NULL CHECK (closed_at > opened_at));
"""


def test_what_a_row_says_again_and_what_it_says_of_its_children_is_worked_out() -> None:
    dataset = weltigen.read_model(GUILD).dataset(rows={"mason": 300, "quarry_stay": 600, "quarry_stay_line": 2400, "pit": 400})
    masons, stays, lines, pits = (dataset.frame(name) for name in dataset.counts)
    assert (masons["name_lower"] == masons["name"].str.lower()).all() and masons["avatar_id"].dropna().str.len().eq(36).all()
    seen = masons.dropna(subset="last_seen_unix")
    assert (seen["last_seen_unix"] >= seen["joined_unix"]).all() and masons["joined_unix"].between(1.6e9, 1.8e9).all()
    assert masons["joined_unix"].diff().min() > -4 * 86_400 and (masons["phone"] != masons["mobile"]).all()
    assert (masons["num_broken_stones"] <= masons["num_stones"]).all()
    assert masons["digest"].value_counts().idxmax() == "weekly" and masons["digest"].nunique() > 1
    assert masons["max_marks"].value_counts().idxmax() == -1
    named = stays.merge(masons, left_on="mason_id", right_on="id")
    assert (named["mason_name"].dropna() == named["name"][named["mason_name"].notna()]).all()
    assert ((pd.to_datetime(stays["departure"]) - pd.to_datetime(stays["arrival"])).dt.days == stays["nights"]).all()
    of = lines.groupby("quarry_stay_id")["amount"].agg(["size", "sum"]).reindex(stays["id"])
    assert (of["size"].fillna(0).to_numpy() == stays["line_count"]).all()
    assert (of["sum"].fillna(0).astype(float).round(2).to_numpy() == stays["net_total"].astype(float)).all()
    assert (stays["total"] == stays["net_total"] + stays["vat"]).all()
    built = stays.dropna(subset=["erected_on", "struck_on"])
    assert (built["struck_on"] >= built["erected_on"]).all()  # by the order of their columns
    above = pits.merge(pits, left_on="parent_id", right_on="id")
    assert (above["depth_x"] == above["depth_y"] + 1).all() and (pits["depth"][pits["parent_id"].isna()] == 0).all()
    assert all(one.startswith(f"{two}/") for one, two in zip(above["path_x"], above["path_y"], strict=True))
    assert pits["value"].between(pits["low_limit"], pits["high_limit"]).all()
    assert ((pits["closed_at"] - pits["opened_at"]).dt.days <= 31).all()


def test_systems_speak_their_own_words() -> None:
    """Chat, telephony, directories, monitoring; a port, a class and a field are no ship, no course and no plant there."""
    world = weltigen.read_model(
        "CREATE TABLE roster_tbl (id integer PRIMARY KEY, jid text NOT NULL, nick text NOT NULL, isbot integer NOT NULL, ts_seen_ms bigint NOT NULL);"
        "CREATE TABLE sip_dialog (id integer PRIMARY KEY, callid varchar(80) NOT NULL, from_uri text NOT NULL, cseq integer NOT NULL);"
        "CREATE TABLE port_spec (id integer PRIMARY KEY, optional integer NOT NULL, shell text NOT NULL, revision varchar(80) NOT NULL, zork text NOT NULL);"
        "CREATE TABLE model_field (id integer PRIMARY KEY, help text NOT NULL, title varbinary(120) NOT NULL, ver semver NOT NULL);"
        "CREATE TABLE directory (id integer PRIMARY KEY, sn text NOT NULL, givenname text NOT NULL, cn text NOT NULL, lgivenname text NOT NULL);",
        dialect="postgresql",
    )
    topics_of = {entity.name: entity.topic for entity in world.declared.entities}
    assert (
        topics_of["port_spec"] == "network" and topics_of["model_field"] == "databases" and topics_of["roster_tbl"] == "messages"
    )
    rows = {name: world.dataset().frame(name) for name in topics_of}
    for entity, field, pattern in (
        ("roster_tbl", "jid", r"\S+@\S+"), ("roster_tbl", "nick", r"[\w.]+"), ("sip_dialog", "callid", r"[0-9a-f]+@\S+"),
        ("sip_dialog", "from_uri", r"sip:\S+@\S+"), ("port_spec", "shell", r"/\S+"), ("port_spec", "revision", r"[0-9a-f]{40}"),
        ("port_spec", "zork", r"[a-z]+_[a-z]+"), ("model_field", "ver", r"\d+(\.\d+)+.*"),
    ):  # fmt: skip
        assert rows[entity][field].str.fullmatch(pattern).all(), field
    assert set(rows["roster_tbl"]["isbot"]) == set(rows["port_spec"]["optional"]) == {0, 1}
    assert rows["roster_tbl"]["ts_seen_ms"].between(1.6e12, 1.8e12).all()
    assert all(0 < len(title) <= 120 and title.decode()[0].isalpha() for title in rows["model_field"]["title"])
    people = rows["directory"]
    assert (people["cn"] == people["givenname"] + " " + people["sn"]).all() and (
        people["lgivenname"] == people["givenname"].str.lower()
    ).all()


def test_words_of_systems_mean_something_else_outside_them() -> None:
    """A field of a launch site is no column, a signer no domain; a unit in a price's name tells what it is times."""
    world = weltigen.read_model(
        "CREATE TABLE launch_field (id serial PRIMARY KEY, name varchar(80) NOT NULL, landowner varchar(80) NOT NULL);"
        "CREATE TABLE ascent (id serial PRIMARY KEY, field_id integer NOT NULL REFERENCES launch_field, operator_name varchar(80) NOT NULL,"
        " via varchar(60) NOT NULL, signed_by varchar(80) NOT NULL, gas_litres integer NOT NULL);"
        "CREATE TABLE gas_fill (id serial PRIMARY KEY, litres numeric(5,1) NOT NULL, price_per_litre numeric(6,3) NOT NULL, total numeric(9,2) NOT NULL);"
    )
    fields, ascents, fills = (world.dataset().frame(entity.name) for entity in world.declared.entities)
    assert not fields["name"].isin(["name", "email", "status", "due_date", "amount", "notes"]).any()
    assert not ascents["via"].str.startswith("SIP").any() and not ascents["signed_by"].str.contains(".", regex=False).any()
    assert not set(ascents["operator_name"]) & set(ascents["signed_by"]) and ascents["signed_by"].str.contains(" ").all()
    product = fills["litres"].astype(float) * fills["price_per_litre"].astype(float)
    assert (fills["total"].astype(float) - product).abs().max() <= 0.0051


def test_guesses_that_would_need_each_other_let_one_another_go() -> None:
    weighed = "gross_kg integer NOT NULL, tare_kg integer NOT NULL, net_kg integer NOT NULL"
    world = weltigen.read_model(
        f"CREATE TABLE weighing (id integer PRIMARY KEY, {weighed}, price_ex_vat numeric(9,2), vat numeric(9,2), price_inc_vat numeric(9,2))"
    )
    rows = world.dataset(rows={"weighing": 500}).frame("weighing")
    assert (rows["net_kg"] == rows["gross_kg"] - rows["tare_kg"]).all() and (rows["net_kg"] > 0).all()
    full = rows.dropna()
    assert ((full["price_ex_vat"] + full["vat"] - full["price_inc_vat"]).abs() < 0.02).all() and len(full) > 200
    ring = [("a", "b"), ("b", "c"), ("c", "a")]
    entity = weltigen.read_model("CREATE TABLE t (id integer PRIMARY KEY, a integer, b integer, c integer)").declared.entities[0]
    for guessed in ("a", "c"):
        said = {"origin": Origin.SAID, "because": "said"}
        tied = {
            name: Bound(comparison=">=", operand=of, path=True, **({"origin": Origin.GUESSED} if name == guessed else said))
            for name, of in ring
        }
        fields = tuple(replace(f, limits=Limits(bounds=(tied[f.name],))) if f.name in tied else f for f in entity.fields)
        left = without_circles(World(name="", entities=(replace(entity, fields=fields),))).entities[0]
        assert {f.name for f in left.fields if f.limits.bounds} == set(tied) - {guessed}


@pytest.mark.parametrize(
    ("table", "field", "low", "high"),
    [
        ("swimmer (id integer PRIMARY KEY, last_name text, chest_in numeric(4,1))", "chest_in", 30, 50),
        ("heron (id integer PRIMARY KEY, species text, wingspan_mm integer)", "wingspan_mm", 170, 2200),
        ("buoy (id integer PRIMARY KEY, wave_height_ft numeric(4,1))", "wave_height_ft", 0.5, 19),
        ("rower (id integer PRIMARY KEY, last_name text, weight_lb integer, height_in integer)", "height_in", 56, 78),
    ],
)  # fmt: skip
def test_a_measure_known_in_one_unit_is_known_in_another(table: str, field: str, low: float, high: float) -> None:
    values = (
        weltigen.read_model(f"CREATE TABLE {table}").dataset(rows={table.split()[0]: 300}).frame(table.split()[0])[field].dropna()
    )
    assert values.astype(float).between(low, high).all() and values.nunique() > 5


def test_a_noun_of_several_trades_has_that_of_its_company() -> None:
    stage = "CREATE TABLE rehearsal (id integer PRIMARY KEY, production_id integer REFERENCES production(id)); CREATE TABLE audition (id integer PRIMARY KEY); CREATE TABLE premiere (id integer PRIMARY KEY);"
    table = "CREATE TABLE production (id integer PRIMARY KEY, title varchar(60) NOT NULL);"
    topics_of = [{e.name: e.topic for e in weltigen.read_model(sql).declared.entities} for sql in (table, table + stage)]
    assert topics_of[0]["production"] == "machines" and topics_of[1]["production"] == "theatre"


def test_what_was_planned_and_what_came_to_be_lie_near_each_other() -> None:
    names = ("debut_prevu", "fin_prevue", "depart_reel", "retour_reel")
    sql = f"CREATE TABLE location_velo (id integer PRIMARY KEY, client varchar(60), {', '.join(f'{one} timestamp NOT NULL' for one in names)}, prix numeric(6,2))"
    rows = weltigen.read_model(sql).dataset(rows={"location_velo": 400}).frame("location_velo")
    start, end, left, back = (pd.to_datetime(rows[name]) for name in names)
    for actual, planned in ((left, start), (back, end)):
        assert (actual - planned).between(pd.Timedelta(0), pd.Timedelta(hours=4)).all()
    assert (end >= start).all()


@pytest.mark.parametrize(("language", "name", "word"), [("es", "clinica", "clinic"), ("fr", "densite", "density"), ("de", "klinik", "clinic"),
                                                         ("es", "hidrologia", "hydrology"), ("es", "fenologia", "fenologia"), ("en", "rcncld", "reconciled"), ("en", "martl", "marital"),
                                                         ("en", "assign", "assign"), ("en", "stat_cd", "status")])  # fmt: skip
def test_a_word_is_known_by_its_relatives_and_without_its_vowels(language: str, name: str, word: str) -> None:
    assert vocabulary_of(World(name="", entities=(), language=language)).words(name) == (word,)


def test_parts_of_a_row_fit_each_other_whatever_the_model_lacks() -> None:
    ddl = """CREATE TABLE client (id serial PRIMARY KEY, civilite varchar(5), prenom varchar(50) NOT NULL, nom varchar(50) NOT NULL, date_embauche date);
        CREATE TABLE commande (id serial PRIMARY KEY, client_id int NOT NULL REFERENCES client, prix numeric(8,2) NOT NULL, acompte numeric(8,2) NOT NULL,
            solde numeric(8,2), prix_ht numeric(8,2) NOT NULL, tva numeric(8,2) NOT NULL, prix_ttc numeric(8,2) NOT NULL);"""
    made = weltigen.read_model(ddl, dialect="postgresql").dataset()
    client, order = made.table("client").to_pandas(), made.table("commande").to_pandas()
    assert not any(given in name for given, name in zip(client.prenom, client.nom, strict=True))
    assert (order.acompte <= order.prix).all() and (order.solde == order.prix - order.acompte).all()
    assert (abs(order.tva.astype(float) / order.prix_ht.astype(float) - 0.2) < 0.01).all() and (
        order.prix_ttc == order.prix_ht + order.tva
    ).all()


def test_whole_numbers_are_flags_only_where_nothing_else_is() -> None:
    columns = "id integer PRIMARY KEY, sleeved integer, without_sleeve integer, cooperative integer DEFAULT 0, seats_reserved integer, dead_count integer"
    bare = weltigen.read_model(f"CREATE TABLE copies ({columns}, kept integer);", dialect="sqlite").entity("copies")
    with_flags = weltigen.read_model(f"CREATE TABLE copies ({columns}, kept boolean);", dialect="postgresql").entity("copies")
    flags = {f.name for f in bare.fields if f.source and getattr(f.source, "weights", None)}
    assert {"sleeved", "without_sleeve", "cooperative", "kept"} <= flags and not {"seats_reserved", "dead_count"} & flags
    assert not {f.name for f in with_flags.fields if getattr(f.source, "weights", None)} - {"cooperative", "kept"}


def test_meters_weights_and_readings_hang_together() -> None:
    ddl = """CREATE TABLE load (id serial PRIMARY KEY, gross_kg numeric(8,1) NOT NULL, tare_kg numeric(8,1) NOT NULL, net_kg numeric(8,1) NOT NULL);
        CREATE TABLE meter_use (id serial PRIMARY KEY, previous_reading integer NOT NULL, current_reading integer NOT NULL, consumption integer NOT NULL);
        CREATE TABLE probe (id serial PRIMARY KEY, lower_limit numeric(6,2) NOT NULL, upper_limit numeric(6,2) NOT NULL, measured_value numeric(6,2) NOT NULL);
        CREATE TABLE stall (id serial PRIMARY KEY, quota integer NOT NULL, sold integer NOT NULL, cost numeric(7,2) NOT NULL, price numeric(7,2) NOT NULL);
        CREATE TABLE funeral (id serial PRIMARY KEY, fees numeric(8,2) NOT NULL, disbursements numeric(8,2) NOT NULL, total numeric(8,2) NOT NULL);"""
    rows = {
        name: weltigen.read_model(ddl).dataset().table(name).to_pandas()
        for name in ("load", "meter_use", "probe", "stall", "funeral")
    }
    load, use, probe, stall, funeral = rows.values()
    assert (load.net_kg == load.gross_kg - load.tare_kg).all() and (load.tare_kg <= load.gross_kg).all()
    assert (
        (use.consumption == use.current_reading - use.previous_reading).all()
        and (use.consumption >= 0).all()
        and use.consumption.nunique() > 10
    )
    assert ((probe.lower_limit <= probe.measured_value) & (probe.measured_value <= probe.upper_limit)).all()
    assert (
        (stall.sold <= stall.quota).all()
        and (stall.cost <= stall.price).all()
        and (funeral.total == funeral.fees + funeral.disbursements).all()
    )


@pytest.mark.parametrize(("name", "word"), [("firmness", "low"), ("agility", "high"), ("comedy", "black comedy")])
def test_what_nothing_names_is_told_by_what_its_word_is(name: str, word: str) -> None:
    field = (
        weltigen.read_model(f"CREATE TABLE stall (id serial PRIMARY KEY, note text, {name} text NOT NULL);")
        .entity("stall")
        .field(name)
    )
    assert word in dict(field.source.weights) and len(field.source.weights) <= 12


def test_durations_of_dives_are_minutes_and_a_divers_certificate_is_no_label() -> None:
    ddl = """CREATE TABLE diver (id serial PRIMARY KEY, first_name text NOT NULL, last_name text NOT NULL, certification text NOT NULL);
        CREATE TABLE dive (id serial PRIMARY KEY, diver_id int NOT NULL REFERENCES diver, descended_at timestamp NOT NULL, surfaced_at timestamp NOT NULL);"""
    made = weltigen.read_model(ddl).dataset()
    dive, diver = made.table("dive").to_pandas(), made.table("diver").to_pandas()
    assert (dive.surfaced_at - dive.descended_at).between(
        pd.Timedelta(0), pd.Timedelta(minutes=70)
    ).all() and "organic" not in set(diver.certification)
