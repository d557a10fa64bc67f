"""What applications keep beside their things: somebody else of the row, the entity of a reference, parts of a date, ends with a
reason, identifiers of other systems."""

from __future__ import annotations

import ipaddress
import json
import re
from typing import Any

import pytest

import weltigen
from weltigen.infer.vocabularies import vocabulary_of
from weltigen.model import World

MODEL = """
CREATE TABLE keepers (id varchar(36) PRIMARY KEY, first_name varchar(40) NOT NULL, surname varchar(40) NOT NULL,
  email varchar(80) NOT NULL UNIQUE, emailpro varchar(80), guardian_first_name varchar(40) NOT NULL,
  guardian_surname varchar(40) NOT NULL, guardian_email varchar(80) NOT NULL, altcontactfirstname varchar(40) NOT NULL);
CREATE TABLE lanterns (id varchar(36) PRIMARY KEY, price numeric(8,2) NOT NULL, booking_fee numeric(6,2), discount numeric(6,2),
  total numeric(9,2) NOT NULL, payment_type_code varchar(20) NOT NULL, lit_config varchar(36) NOT NULL);
CREATE TABLE watches (id varchar(36) PRIMARY KEY, held_on date NOT NULL, tyear smallint NOT NULL, tmonth smallint NOT NULL,
  tweek smallint NOT NULL, planned_launch_at timestamp NOT NULL, launched_at timestamp, landed_at timestamp,
  duration_min integer, scrubbed_at timestamp, scrub_reason varchar(80), createat bigint NOT NULL, updateat bigint NOT NULL);
CREATE TABLE remarks (id varchar(36) PRIMARY KEY, remarkable_type varchar(40) NOT NULL, remarkable_id integer NOT NULL,
  notes_nonpublic text NOT NULL, body text NOT NULL);
CREATE TABLE mail_queue (id varchar(36) PRIMARY KEY, subject varchar(120) NOT NULL, from_address text NOT NULL,
  to_address text NOT NULL);
CREATE TABLE leases (id varchar(36) PRIMARY KEY, address varchar(45) NOT NULL, hostname varchar(120) NOT NULL,
  min_lifetime integer NOT NULL, lifetime integer NOT NULL, max_lifetime integer NOT NULL, pool_used bigint NOT NULL,
  pool_free bigint NOT NULL, pool_total bigint NOT NULL, pool_perc integer NOT NULL);
CREATE TABLE currencies (id varchar(36) PRIMARY KEY, code char(3) NOT NULL UNIQUE, name varchar(60) NOT NULL, symbol varchar(8) NOT NULL);
CREATE TABLE quays (id varchar(36) PRIMARY KEY, name varchar(60) NOT NULL, slug varchar(40) NOT NULL UNIQUE);
CREATE TABLE duties (id varchar(36) PRIMARY KEY, sender_type varchar(30), sender_id bigint, open_hour integer NOT NULL,
  open_minutes integer NOT NULL, close_hour integer NOT NULL, close_minutes integer NOT NULL, time_format integer NOT NULL,
  "startTime" integer NOT NULL DEFAULT 0, created_at timestamp, first_reply_created_at timestamp NOT NULL, api_key varchar(64) NOT NULL);
"""


@pytest.fixture(scope="module")
def frames() -> dict[str, Any]:
    world = weltigen.read_model(MODEL)
    dataset = world.dataset()
    return {entity.name: dataset.frame(entity.name) for entity in world.entities}


def test_another_person_of_a_row_is_another_one_and_agrees_with_itself(frames: dict[str, Any]) -> None:
    rows = frames["keepers"]
    for given, family, mail in (
        ("first_name", "surname", "email"),
        ("guardian_first_name", "guardian_surname", "guardian_email"),
    ):
        made = rows[given].str.lower() + "." + rows[family].str.lower()
        assert (rows[mail].str.partition("@")[0].str.rstrip("0123456789") == made).mean() > 0.9  # but for letters that are folded
    assert (rows["guardian_first_name"] != rows["first_name"]).all()
    assert (rows["altcontactfirstname"] != rows["first_name"]).all() and rows["emailpro"].dropna().str.contains("@").all()


def test_references_that_may_go_anywhere_name_entities_and_other_keys_have_their_form(frames: dict[str, Any]) -> None:
    assert set(frames["remarks"]["remarkable_type"]) <= {
        "Keeper",
        "Lantern",
        "Watch",
        "MailQueue",
        "Lease",
        "Duty",
        "Currency",
        "Quay",
    }
    assert frames["remarks"]["notes_nonpublic"].str.len().mean() > 25
    assert frames["lanterns"]["lit_config"].str.fullmatch("[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}").all()
    assert frames["lanterns"]["payment_type_code"].str.fullmatch("[A-Z]+(_[A-Z]+)*").all()
    for name in ("from_address", "to_address"):
        assert frames["mail_queue"][name].str.contains("@").all()
    assert all(map(ipaddress.ip_address, frames["leases"]["address"]))


def test_what_follows_from_other_fields_of_the_row_does(frames: dict[str, Any]) -> None:
    rows, sums = frames["watches"], frames["lanterns"].fillna(0).astype({"price": float, "booking_fee": float, "discount": float})
    assert list(rows["tyear"]) == [one.year for one in rows["held_on"]]
    assert list(rows["tmonth"]) == [one.month for one in rows["held_on"]]
    assert list(rows["tweek"]) == [one.isocalendar().week for one in rows["held_on"]]
    assert (sums["price"] + sums["booking_fee"] - sums["discount"] - sums["total"].astype(float)).abs().max() < 0.006
    money, quays = frames["currencies"], frames["quays"]
    assert money["code"].nunique() == len(money) == money["name"].nunique() > 20
    assert set(money[money["code"] == "CHF"]["name"]) <= {"Swiss franc"} and "€" not in set(
        money[money["code"] != "EUR"]["symbol"]
    )
    begun = [
        slug.startswith(name.lower().replace(" ", "-")[:20]) for name, slug in zip(quays["name"], quays["slug"], strict=True)
    ]
    assert quays["name"].nunique() < quays["slug"].nunique() == len(quays) and sum(begun) > 0.9 * len(quays)
    late = (rows["launched_at"] - rows["planned_launch_at"]).dropna()
    assert late.min().total_seconds() >= 0 and late.max().total_seconds() < 6 * 3600
    lasted = ((rows["landed_at"] - rows["launched_at"]).dt.total_seconds() / 60).dropna()
    assert (lasted - rows["duration_min"][lasted.index].astype(float)).abs().max() <= 0.5
    assert (rows["updateat"] >= rows["createat"]).all()
    assert rows["scrubbed_at"].notna().mean() < 0.2 and (rows["scrubbed_at"].isna() == rows["scrub_reason"].isna()).all()
    hours = frames["duties"]
    assert (hours["open_hour"] <= hours["close_hour"]).all() and hours["open_minutes"].isin([0, 15, 30, 45]).all()
    assert hours["created_at"].notna().all() and (hours["first_reply_created_at"] >= hours["created_at"]).all()
    assert (
        hours["startTime"].max() <= 1440
        and set(hours["time_format"]) <= {12, 24}
        and set(hours["sender_type"].dropna()) == {"Keeper"}
    )
    pools = frames["leases"]
    assert (pools["pool_used"] + pools["pool_free"] == pools["pool_total"]).all() and pools["pool_perc"].between(0, 100).all()
    times = frames["leases"]
    assert ((times["min_lifetime"] <= times["lifetime"]) & (times["lifetime"] <= times["max_lifetime"])).all()


def test_names_that_a_database_folds_are_read_as_they_are_written_and_a_groom_is_a_man() -> None:
    sql = """CREATE TABLE WharfWedding (id integer PRIMARY KEY, groom varchar(60) NOT NULL, bride varchar(60) NOT NULL,
      groomFather varchar(60) NOT NULL, brideMother varchar(60) NOT NULL, waterTempC numeric(3,1) NOT NULL, gpsLat numeric(8,5) NOT NULL);"""
    world = weltigen.read_model(sql, dialect="postgresql")
    rows = world.dataset(rows={"wharfwedding": 400}).frame("wharfwedding")
    men, women = (
        {name.partition(" ")[0] for part in parts for name in rows[part]}
        for parts in (("groom", "groomfather"), ("bride", "bridemother"))
    )
    assert len(men) > 20 and len(women) > 20 and not men & women
    assert rows["watertempc"].astype(float).between(-2, 40).all() and rows["gpslat"].astype(float).between(-90, 90).all()
    assert rows["watertempc"].nunique() > 20


def test_files_of_pictures_codes_and_languages_are_what_applications_keep() -> None:
    sql = """CREATE TABLE accounts (id bigint PRIMARY KEY, username varchar(40) NOT NULL, email varchar(80), avatar_file_name varchar(80) NOT NULL,
        avatar_content_type varchar(40) NOT NULL, backup_codes varchar[] NOT NULL, chosen_languages varchar[] NOT NULL, follower_ids bigint[] NOT NULL, title jsonb NOT NULL);
      CREATE TABLE sale_orders (id bigint PRIMARY KEY, name varchar(40) NOT NULL, state varchar(20), invoice_status varchar(20) NOT NULL, amount_untaxed numeric(10,2) NOT NULL,
        amount_tax numeric(10,2) NOT NULL, amount_total numeric(10,2) NOT NULL);
      CREATE TABLE feedback (id bigint PRIMARY KEY, name varchar(80) NOT NULL, email varchar(80) NOT NULL, comments text);"""
    world = weltigen.read_model(sql, dialect="postgresql")
    accounts, orders, feedback = (
        world.dataset(rows=dict.fromkeys(("accounts", "sale_orders", "feedback"), 300)).frame(name)
        for name in ("accounts", "sale_orders", "feedback")
    )
    assert world.declared.entity("accounts").topic == "accounts"
    assert accounts["avatar_file_name"].str.fullmatch(r"\w+\.(jpg|png|webp)").all()
    assert accounts["avatar_content_type"].str.startswith("image/").all()
    assert all(re.fullmatch("[a-z0-9]{5}-[a-z0-9]{5}", code) for codes in accounts["backup_codes"] for code in codes)
    assert all("," not in one for every in accounts["chosen_languages"] for one in every)
    assert any(len(ids) for ids in accounts["follower_ids"]) and all("en" in json.loads(told) for told in accounts["title"])
    assert orders["name"].str.fullmatch(r"[A-Z]{2}/202\d/\d{5}").all() and "paid" in set(orders["invoice_status"])
    assert (orders["amount_untaxed"] + orders["amount_tax"] == orders["amount_total"]).all()
    assert feedback["name"].str.fullmatch(r"[^\d]+ [^\d]+").all() and feedback["name"].nunique() > 200


def test_a_reference_that_a_check_keeps_from_missing_closes_no_circle() -> None:
    sql = """CREATE TABLE payment (id integer PRIMARY KEY, owner_id integer UNIQUE, weight integer NOT NULL, CHECK ((owner_id IS NULL) = (weight IS NULL)));
      CREATE TABLE crew (id integer PRIMARY KEY, first_name varchar(20), last_name varchar(20), payment_id integer NOT NULL REFERENCES payment);"""
    assert len(weltigen.read_model(sql, dialect="postgresql").dataset().frame("crew")) > 0


@pytest.mark.parametrize(
    ("name", "words"), [("baeume", ("tree",)), ("raeume", ("room",)), ("boote", ("boat",)), ("fluege", ("flight",))]
)
def test_a_german_plural_is_known_by_its_noun(name: str, words: tuple[str, ...]) -> None:
    assert vocabulary_of(World(name="", entities=(), language="de")).words(name) == words


def test_the_bones_of_its_entitys_noun_are_no_other_word() -> None:
    sql = "CREATE TABLE permit (pmt_no varchar(14) PRIMARY KEY, pmt_typ varchar(12) NOT NULL, holder_nm varchar(80)); CREATE TABLE fees (id integer PRIMARY KEY, pmt_typ varchar(20) NOT NULL)"
    world = weltigen.read_model(sql)
    kinds = set(world.dataset().frame("permit")["pmt_typ"])
    assert "card" not in kinds and "card" in set(world.dataset().frame("fees")["pmt_typ"])


def test_what_offices_keep_of_their_machines_and_their_faults() -> None:
    sql = """CREATE TABLE entities (id integer PRIMARY KEY, name varchar(80) NOT NULL, phonenumber varchar(30), address text, admin_email varchar(80), admin_email_name varchar(80) NOT NULL);
      CREATE TABLE products (id integer PRIMARY KEY, name varchar(64) NOT NULL, description text NOT NULL);
      CREATE TABLE bugs (id integer PRIMARY KEY, product_id integer NOT NULL REFERENCES products, op_sys varchar(40) NOT NULL, status_whiteboard text NOT NULL, run_day varchar(20));
      CREATE TABLE tickets (id integer PRIMARY KEY, name varchar(120) NOT NULL, urgency integer, priority integer, locked_at timestamp, locked_until timestamp);
      CREATE TABLE sla (id integer PRIMARY KEY, name varchar(40) NOT NULL, update_time integer NOT NULL, solution_time integer NOT NULL)"""
    world = weltigen.read_model(sql)
    data = world.dataset(rows={"tickets": 2000})
    assert world.declared.entity("products").topic == "software" and (
        data.frame("sla")[["update_time", "solution_time"]] < 9000
    ).all(axis=None)
    entities, bugs, tickets = (
        data.frame("entities"),
        data.frame("bugs"),
        data.frame("tickets").dropna(subset=["locked_at", "locked_until"]),
    )
    assert entities["admin_email_name"].str.fullmatch(r"\D+ \D+").all() and not set(entities["name"]) & set(
        entities["admin_email_name"]
    )
    assert bugs["op_sys"].nunique() < 9 and not bugs["status_whiteboard"].str.contains("half board|breakfast").any()
    assert len(tickets) > 3 and (tickets["locked_at"] <= tickets["locked_until"]).all()


def test_calls_are_short_and_racks_are_measured_in_their_units() -> None:
    sql = """CREATE TABLE cdr (id integer PRIMARY KEY, src varchar(40) NOT NULL, start timestamp NOT NULL, answer timestamp, "end" timestamp NOT NULL, duration integer);
      CREATE TABLE ip_blocks (id integer PRIMARY KEY, address text NOT NULL, range_start text NOT NULL, port integer NOT NULL);
      CREATE TABLE racks (id integer PRIMARY KEY, u_height smallint NOT NULL, outer_unit varchar(8) NOT NULL, weight_unit varchar(8) NOT NULL, power_panel varchar(40));
      CREATE TABLE sites (id integer PRIMARY KEY, physical_address text NOT NULL, latitude numeric(8,6), vlan_id integer);
      CREATE TABLE ps_endpoints (id integer PRIMARY KEY, language varchar(10) NOT NULL, allow varchar(40) NOT NULL)"""
    data = weltigen.read_model(sql).dataset(rows={"cdr": 500})
    calls, racks = data.frame("cdr"), data.frame("racks")
    lasted = (calls["end"] - calls["start"]).dt.total_seconds()
    assert lasted.between(0, 1200).all() and (calls["duration"].dropna() - lasted[calls["duration"].notna()]).abs().max() <= 1
    answered = calls.dropna(subset=["answer"])
    assert ((answered["answer"] >= answered["start"]) & (answered["answer"] <= answered["end"])).all() and calls[
        "src"
    ].str.startswith("+").all()
    assert data.frame("ip_blocks")[["address", "range_start"]].apply(lambda one: one.str.fullmatch(r"[0-9.]+")).all(axis=None)
    assert (
        (racks["u_height"] < 50).all()
        and set(racks["outer_unit"]) <= {"mm", "cm", "in"}
        and set(racks["weight_unit"]) <= {"kg", "lb", "g"}
    )
    assert data.frame("sites")["physical_address"].str.match(r"\d+ [A-Z]").all()
    assert data.frame("ps_endpoints")["language"].str.fullmatch("[a-z]{2}(-[A-Z]{2})?").all()


def test_what_programs_keep_of_each_other() -> None:
    sql = """CREATE TABLE job_groups (id integer PRIMARY KEY, name text NOT NULL); CREATE TABLE users (id integer PRIMARY KEY, last_user text NOT NULL, avatar_url text NOT NULL);
      CREATE TABLE releases (version real NOT NULL, installer_name text NOT NULL, installer_email text NOT NULL, queue_id integer PRIMARY KEY);
      CREATE TABLE job_group_parents (id integer PRIMARY KEY, name text NOT NULL, queue_role integer NOT NULL); CREATE TABLE locales (locale text PRIMARY KEY);
      CREATE TABLE package_translations (id integer PRIMARY KEY, lang varchar(8) NOT NULL, src text NOT NULL, build_id integer, place point NOT NULL);
      CREATE TABLE sockets (id integer PRIMARY KEY, address text NOT NULL, port integer NOT NULL);
      CREATE TABLE bindings (id integer PRIMARY KEY, medium text NOT NULL, address text NOT NULL, name_reg varchar(40) NOT NULL);"""
    data = weltigen.read_model(sql, dialect="sqlite").dataset()
    releases, users, parents = data.frame("releases"), data.frame("users"), data.frame("job_group_parents")
    mails = [name.lower().split()[0] for name in releases["installer_name"]]
    assert [mail.split(".")[0].split("@")[0] for mail in releases["installer_email"]] == mails
    assert (
        releases["version"].between(1, 9).all()
        and releases["version"].nunique() < 9
        and parents["queue_role"].between(0, 9).all()
    )
    assert users["last_user"].str.fullmatch(r"[a-z.]+\d*").all() and users["avatar_url"].str.contains("/avatars/").all()
    assert (
        not set(parents["name"]) & set(releases["installer_name"])
        and not parents["name"].str.fullmatch("[A-Z][a-z]+ [A-Z][a-z]+").all()
    )
    assert data.frame("locales")["locale"].str.fullmatch("[a-z]{2,3}-[A-Z]{2}").all()
    assert (
        data.frame("bindings")["address"].str.contains("@").all()
        and not data.frame("bindings")["name_reg"].str.fullmatch(r"[A-Z0-9]{4} [A-Z]{3}").any()
    )
