"""What columns hold that other columns, tables or the whole model give a meaning to, each asked in a small bare model."""

import datetime as dt
import re

import pandas as pd
import pytest

import weltigen

from .test_of_anything import frames

ROUTES = "CREATE TABLE route (id serial PRIMARY KEY, name varchar(60) NOT NULL);"
FERRY = "CREATE TABLE ferry (id serial PRIMARY KEY, region_id integer REFERENCES region(id), name varchar(60) NOT NULL);"
LOGIN = "CREATE TABLE app_user (id varchar(36) PRIMARY KEY, email varchar(80) NOT NULL, password varchar(80) NOT NULL);"
JOBS = "".join(
    f"CREATE TABLE {one}_job (id serial PRIMARY KEY, host varchar(60), exit_code integer, {{0}});"
    for one in ("sync", "index", "mail")
)
SOMEBODY = r"[A-ZÉ][\w'éèüö-]+( [A-ZÉO][\w'éèüö-]+)+"
CLIPPED = (
    "CREATE TABLE crw (crw_id integer PRIMARY KEY, stn_cd char(4), fnm varchar(40), snm varchar(40) NOT NULL, rnk varchar(20), jn_dt date,"
    " lv_dt date, bld_grp varchar(4) NOT NULL, nok_nm varchar(60) NOT NULL, nok_tel varchar(20), rgn varchar(30) NOT NULL, pstcd varchar(10))"
)
# a model, a field of it, and what each of its values is
TOLD = (
    (JOBS.format("status varchar(20) NOT NULL"), "sync_job.status", "success|failed|running|queued"),
    (JOBS.format("metrics text NOT NULL"), "mail_job.metrics", r"\{.+\}"),
    (JOBS.format("scanned integer NOT NULL, started_at timestamp"), "sync_job.scanned", r"\d{1,4}"),
    (JOBS.format("tool_calls text NOT NULL"), "index_job.tool_calls", r"\{.+\}"),
    (JOBS.format("login_path text, artifact_type varchar(30) NOT NULL"), "mail_job.artifact_type", r"(?!.*(pottery|coin|flint)).+"),
    (LOGIN + "CREATE TABLE session (id serial PRIMARY KEY, user_id varchar(36), ip varchar(40), status varchar(20) NOT NULL)", "session.status",
     "completed|active|expired|failed"),
    (ROUTES + "CREATE TABLE route_status_choice (id serial PRIMARY KEY, name varchar(40) NOT NULL);"
     "CREATE TABLE trip (id serial PRIMARY KEY, status_id integer NOT NULL REFERENCES route_status_choice(id))", "route_status_choice.name",
     "(?i)(active|inactive|pending|closed|planned|completed|cancelled|suspended|open|in progress|on hold|running|.*(ed|ing))"),
    ("CREATE TABLE region (id serial PRIMARY KEY, code varchar(3), type varchar(30) NOT NULL);" + FERRY, "region.type",
     "standard|basic|special|mixed|custom"),
    ("CREATE TABLE donation (id serial PRIMARY KEY, name varchar(80) NOT NULL, email varchar(80) NOT NULL, amount numeric(8,2))", "donation.name",
     r"[A-ZÉ][\w'éèüö-]+( [A-ZÉO][\w'éèüö-]+)+"),
    ("CREATE TABLE tariff_price (id serial PRIMARY KEY, amount numeric(8,2), nickname varchar(40) NOT NULL)", "tariff_price.nickname",
     "Monthly|Yearly|Standard|Launch price|Partner"),
    ("CREATE TABLE depot (id serial PRIMARY KEY, streetLine1 varchar(80), streetLine2 varchar(40) NOT NULL, city varchar(40))", "depot.streetline2",
     r"(Flat|Unit|Suite|Floor|Apartment) \d+"),
    ("CREATE TABLE asset (id serial PRIMARY KEY, mime_type varchar(60) NOT NULL, file_size integer, type varchar(20) NOT NULL)", "asset.type",
     "report|plan|form|photo|contract|manual|image|video|audio|document"),
    (LOGIN + "CREATE TABLE tag (id serial PRIMARY KEY, user_id varchar(36) REFERENCES app_user(id), name varchar(40) NOT NULL)", "tag.name",
     r"(?!(Small|Large|Upper|Lower|Inner|Outer|Grey|White) ).+"),
    (ROUTES + "CREATE TABLE hook (id serial PRIMARY KEY, url text, enabled_events json NOT NULL)", "hook.enabled_events", r'\["[a-z]+\.[a-z]+".*\]'),
    ("CREATE TABLE deckhand (id serial PRIMARY KEY, full_name varchar(60) NOT NULL, apprenticed_in smallint NOT NULL)", "deckhand.apprenticed_in",
     "(19|20)[0-9]{2}"),
    ("CREATE TABLE sitting (id serial PRIMARY KEY, client varchar(60), starts_at timestamp NOT NULL, status varchar(20) NOT NULL)", "sitting.status",
     "completed|booked|cancelled|checked in|no-show"),
    ("CREATE TABLE swab (id serial PRIMARY KEY, collector varchar(60) NOT NULL, swabbed_on date, trained_at varchar(80) NOT NULL)", "swab.collector",
     SOMEBODY),
    ("CREATE TABLE swab (id serial PRIMARY KEY, collector varchar(60) NOT NULL, swabbed_on date, trained_at varchar(80) NOT NULL)", "swab.trained_at",
     r"(?!\d{4}-).+"),
    ("CREATE TABLE resin_pot (id serial PRIMARY KEY, compounder varchar(60) NOT NULL, compounded_on date)", "resin_pot.compounder", SOMEBODY),
    ("CREATE TABLE loaf (id serial PRIMARY KEY, baked_on date, oven varchar(20) NOT NULL)", "loaf.oven", "Oven [1-9]"),
    ("CREATE TABLE bowman (id serial PRIMARY KEY, full_name varchar(60), dominant_eye char(1) NOT NULL)", "bowman.dominant_eye", "[LR]"),
    ("CREATE TABLE grievance (id serial PRIMARY KEY, ticket varchar(14) NOT NULL UNIQUE, details text)", "grievance.ticket", "[A-Z0-9-]+"),
    ("CREATE TABLE beacon_hut (id serial PRIMARY KEY, length_m numeric(6,1) NOT NULL, first_lit integer)", "beacon_hut.length_m", r"\d{1,2}\.\d"),
    ("CREATE TABLE beacon_hut (id serial PRIMARY KEY, length_m numeric(6,1), first_lit integer NOT NULL)", "beacon_hut.first_lit", "(18|19|20)[0-9]{2}"),
    (CLIPPED, "crw.rgn", r"(?!standard|mixed|basic|special|custom).+"),
    (CLIPPED, "crw.nok_nm", SOMEBODY), (CLIPPED, "crw.snm", "[A-ZÉ][\\w'éèüö-]+"), (CLIPPED, "crw.bld_grp", "(A|B|AB|O)[+-]"),
    ("CREATE TABLE kehrbuch (id integer PRIMARY KEY, hausnummer varchar(6), strasse varchar(60), ort varchar(40), kehrer varchar(60) NOT NULL,"
     " gekehrt_am date, bemerkung text)", "kehrbuch.kehrer", SOMEBODY),
    ("CREATE TABLE review_year (id serial PRIMARY KEY, top_countries json NOT NULL)", "review_year.top_countries", r'\["[A-Z].*"\]'),
)  # fmt: skip


@pytest.mark.parametrize(("sql", "field", "form"), TOLD, ids=[field for _, field, _ in TOLD])
def test_each_is_what_its_neighbours_tell(sql: str, field: str, form: str) -> None:
    entity, column = field.split(".")
    values = frames(sql, **{entity: 60} if "lookup" not in field and "choice" not in field else {})[entity][column]
    texts = [value if isinstance(value, str) else str(value) for value in values.dropna()]
    assert texts and [text for text in texts if not re.fullmatch(form, text, re.DOTALL)] == []


def test_references_are_found_by_what_was_done_and_without_the_word_entity() -> None:
    rows = frames(
        LOGIN + "CREATE TABLE voyage_entity (id varchar(36) PRIMARY KEY, name varchar(60) NOT NULL);"
        "CREATE TABLE remark (id serial PRIMARY KEY, voyage_id varchar(36) NOT NULL REFERENCES voyage_entity(id), created_by_id varchar(36) NOT NULL);"
        "CREATE TABLE delay (id serial PRIMARY KEY, voyage_id varchar(36) NOT NULL, minutes integer)"
    )  # fmt: skip
    assert set(rows["remark"]["created_by_id"]) <= set(rows["app_user"]["id"])
    assert set(rows["delay"]["voyage_id"]) <= set(rows["voyage_entity"]["id"])


def test_what_is_told_with_tax_and_after_a_discount_follows_from_what_is_told_without() -> None:
    rows = frames(
        "CREATE TABLE booking (id serial PRIMARY KEY, sub_total numeric(10,2) NOT NULL, sub_total_incl_tax numeric(10,2) NOT NULL,"
        " discount_amount numeric(10,2), sub_total_with_discount numeric(10,2) NOT NULL,"
        " sub_total_with_discount_incl_tax numeric(10,2) NOT NULL, total_qty integer NOT NULL);"
        "CREATE TABLE booking_item (id serial PRIMARY KEY, booking_id integer NOT NULL REFERENCES booking(id), qty integer NOT NULL,"
        " product_price numeric(10,2) NOT NULL, line_total numeric(10,2) NOT NULL)"
    )  # fmt: skip
    bill, items = rows["booking"].set_index("id"), rows["booking_item"]
    number = {name: bill[name].astype(float) for name in bill}
    after = number["sub_total"] - bill["discount_amount"].astype(float).fillna(0)
    assert (abs(number["sub_total_incl_tax"] - 1.2 * number["sub_total"]) < 0.006).all()
    assert (abs(number["sub_total_with_discount"] - after) < 0.006).all()
    assert (abs(number["sub_total_with_discount_incl_tax"] - 1.2 * number["sub_total_with_discount"]) < 0.006).all()
    assert (items["line_total"].astype(float) - items["qty"] * items["product_price"].astype(float)).abs().max() < 0.006
    assert (bill["total_qty"] - items.groupby("booking_id")["qty"].sum().reindex(bill.index).fillna(0)).eq(0).all()


def test_an_enumeration_that_begins_in_a_first_state_has_moved_on() -> None:
    rows = frames(
        "CREATE TYPE stage AS ENUM ('pending', 'processing', 'completed', 'failed');"
        "CREATE TABLE payout (id serial PRIMARY KEY, status stage NOT NULL DEFAULT 'pending')",
        payout=400,
    )
    shares = rows["payout"]["status"].value_counts(normalize=True)
    assert shares["completed"] > shares["pending"] > shares["failed"]


def test_a_row_of_a_country_or_a_language_tells_of_one() -> None:
    rows = frames(
        "CREATE TABLE country (id integer PRIMARY KEY, name varchar(60) NOT NULL UNIQUE, iso2 char(2) NOT NULL UNIQUE, iso_3 char(3),"
        " num_code varchar(3), dial_code varchar(8), capital varchar(40), currency varchar(3), continent varchar(20), tld varchar(5));"
        "CREATE TABLE spoken_language (id integer PRIMARY KEY, name varchar(60) NOT NULL UNIQUE, iso_code varchar(5) NOT NULL UNIQUE,"
        " native_name varchar(60) NOT NULL, direction varchar(3) NOT NULL);"
        "CREATE TABLE nation (id integer PRIMARY KEY, code varchar(2) NOT NULL, name varchar(60) NOT NULL)",
        country=240,
    )  # fmt: skip
    told = rows["country"].set_index("iso2")
    assert told.index.is_unique and told["name"].is_unique and len(told) == 240
    assert len({"FR", "JP", "BR"} & set(told.index)) > 1
    for code, facts in (
        ("FR", ("France", "FRA", "250", "+33", "Paris", "EUR", "Europe", ".fr")),
        ("JP", ("Japan", "JPN", "392", "+81", "Tokyo", "JPY", "Asia", ".jp")),
        ("BR", ("Brazil", "BRA", "076", "+55", "Brasilia", "BRL", "South America", ".br")),
    ):
        if code in told.index:
            said = told.loc[code, ["name", "iso_3", "num_code", "dial_code", "capital", "currency", "continent", "tld"]]
            assert all(pd.isna(value) or value == fact for value, fact in zip(said, facts, strict=True)), said
    spoken = rows["spoken_language"].set_index("iso_code")
    assert spoken.index.is_unique and spoken.loc["de", ["name", "native_name"]].tolist() == ["German", "Deutsch"]
    assert spoken["direction"].loc[["ar", "en"]].tolist() == ["rtl", "ltr"]


def test_a_list_of_names_that_differ_has_no_more_rows_than_there_are_names() -> None:
    listed = "CREATE TABLE {} (id serial PRIMARY KEY, name varchar(80) NOT NULL UNIQUE, code varchar(20), version varchar(10));"
    rows = frames("".join(map(listed.format, ("symptom", "ethnicity", "course"))))
    for name, told in rows.items():
        assert 3 < len(told) < 100 and told["name"].is_unique, name
        assert not told["name"].str.match("(Large|Small|Grey|White|Upper|Lower|Inner|Outer|Portable|Heavy) ").any(), name
    assert len(rows["ethnicity"]) < 12
    more = frames(listed.format("symptom"), symptom=150)["symptom"]["name"]  # more than there are: told apart behind
    assert more.is_unique and not more.str.match("(Large|Small|Grey|White|Upper|Lower) ").any()


def test_rows_that_are_numbered_within_an_owner_count_from_one(tmp_path) -> None:
    (tmp_path / "legs.sql").write_text(
        "CREATE TABLE sailing (id serial PRIMARY KEY, name varchar(40) NOT NULL);"
        "CREATE TABLE leg (id serial PRIMARY KEY, sailing_id integer NOT NULL REFERENCES sailing(id), leg_no smallint NOT NULL CHECK (leg_no > 0),"
        " miles numeric(6,1), UNIQUE (sailing_id, leg_no));"
        "CREATE TABLE deck_row (deck_id integer NOT NULL REFERENCES sailing(id), row_number integer NOT NULL, PRIMARY KEY (deck_id, row_number));"
        "CREATE TABLE locker (deck_id integer NOT NULL REFERENCES sailing(id), room_number integer NOT NULL, UNIQUE (deck_id, room_number))"
    )  # fmt: skip
    bare = weltigen.read_model(tmp_path / "legs.sql").dataset(seed=4)
    for entity, owner, number in (("leg", "sailing_id", "leg_no"), ("deck_row", "deck_id", "row_number")):
        for _, rows in bare.frame(entity).groupby(owner):
            assert sorted(rows[number]) == list(range(1, len(rows) + 1))
    assert bare.frame("locker")["room_number"].max() > 20  # which nobody counts
    assert bare.frame("leg").groupby("sailing_id").size().max() > 4
    weltigen.draft(tmp_path / "legs.sql", tmp_path / "legs.yaml")
    drafted = weltigen.open_world(tmp_path / "legs.yaml").dataset(seed=4)
    assert drafted.frame("leg").equals(bare.frame("leg"))


def test_moments_that_no_rule_knows_keep_to_what_their_names_say() -> None:
    rows = frames(
        "CREATE TABLE gift_card (id serial PRIMARY KEY, bought_on date NOT NULL, valid_until date, frozen_on date, created_on date NOT NULL);"
        "CREATE TABLE fitting (id serial PRIMARY KEY, appointment timestamp NOT NULL, next_appointment timestamp, checked_on date NOT NULL,"
        " next_inspection date);"
        "CREATE TABLE fair (id serial PRIMARY KEY, opens_on date NOT NULL, closes_on date, status varchar(12) NOT NULL);",
        gift_card=300, fitting=300, fair=300,
    )  # fmt: skip
    for table, earlier, later in (
        ("gift_card", "bought_on", "valid_until"), ("gift_card", "created_on", "frozen_on"),
        ("fitting", "appointment", "next_appointment"), ("fitting", "checked_on", "next_inspection"), ("fair", "opens_on", "closes_on"),
    ):  # fmt: skip
        both = rows[table].dropna(subset=[earlier, later])
        assert len(both) > 120 and (both[later] >= both[earlier]).all(), (table, later)


def test_what_came_to_be_lies_near_what_was_planned(tmp_path) -> None:
    (tmp_path / "pours.sql").write_text(
        "CREATE TABLE pour (id serial PRIMARY KEY, target_kg numeric(7,2) NOT NULL, actual_kg numeric(7,2) NOT NULL,"
        " estimated_hours integer NOT NULL, actual_hours integer NOT NULL CHECK (actual_hours > 0))",
        "utf-8",
    )
    weltigen.draft(tmp_path / "pours.sql", tmp_path / "pours.yaml")
    bare, drafted = (
        weltigen.open_world(tmp_path / f"pours.{end}").dataset(rows={"pour": 500}).frame("pour") for end in ("sql", "yaml")
    )
    assert bare.equals(drafted)
    ratio = bare["actual_kg"].astype(float) / bare["target_kg"].astype(float)
    assert ratio.between(0.4, 2.5).mean() > 0.9 and ratio.nunique() > 200


def test_a_number_of_which_only_the_unit_is_known_is_no_price() -> None:
    ends = {"mg_l": (0, 200), "hpa": (900, 1100), "us_cm": (50, 3000), "mm_s": (0, 40), "kv": (0, 800), "g_cm3": (0.5, 20), "c": (-50, 200),
            "kg_m3": (50, 9000), "degf": (-60, 400), "ohm": (0, 1e5), "l_min": (0, 900), "kwh_m2": (1, 900)}  # fmt: skip
    columns = ", ".join(f"zorb_{unit} numeric(9,2) NOT NULL" for unit in ends)
    rows = frames(f"CREATE TABLE quorl (id serial PRIMARY KEY, {columns})", quorl=300)["quorl"]
    for unit, (low, high) in ends.items():
        values = rows[f"zorb_{unit}"].astype(float)
        assert values.between(low, high).all() and values.nunique() > 60, unit


def test_what_a_row_tells_of_its_keepers_and_years_hangs_together() -> None:
    rows = frames(
        """CREATE TABLE tower (id serial PRIMARY KEY, dedicated_to varchar(80) NOT NULL, place varchar(80) NOT NULL, tenor_cwt numeric(5,2),
           ringing_chamber varchar(30), captain_name varchar(80) NOT NULL, captain_email varchar(160) NOT NULL);
           CREATE TABLE bell (id serial PRIMARY KEY, tower_id int NOT NULL REFERENCES tower, clapper_type varchar(30) NOT NULL,
           year_built smallint NOT NULL, closed_year smallint);
           CREATE TABLE ringer (id serial PRIMARY KEY, name varchar(60) NOT NULL, learnt_to_handle_on date NOT NULL,
           checked_on date NOT NULL)""",
        tower=120,
        bell=300,
        ringer=120,
    )
    towers = rows["tower"]
    names = towers["captain_name"].str.split().str[-1].str.lower().str.replace("[^a-z]", "", regex=True)
    assert sum(name in mail for name, mail in zip(names, towers["captain_email"], strict=True)) > 100
    assert (rows["ringer"]["learnt_to_handle_on"] <= dt.date(2026, 1, 1)).all()
    bells = rows["bell"].dropna()
    assert (bells["year_built"] <= bells["closed_year"]).all() and bells["clapper_type"].str.contains("iron").any()


@pytest.mark.parametrize("pair", ["start/end", "begin/stop", "starts/ends", "strt/fnsh", "anfang/ende", "debut/fin"])
@pytest.mark.parametrize("kept_as", ["TEXT", "varchar(40)"])
def test_texts_that_say_where_something_begins_and_ends_are_moments_in_order(pair: str, kept_as: str) -> None:
    first, last = pair.split("/")
    other = {"strt": "CREATE TABLE wrdn (wrdn_id integer PRIMARY KEY, frst_nm text, lst_nm text, pstcd text);",
             "anfang": "CREATE TABLE waechter (id integer PRIMARY KEY, nachname text, geburtsdatum text, bemerkung text);",
             "debut": "CREATE TABLE gardien (id integer PRIMARY KEY, nom text, prenom text, date_naissance text, adresse text, ville text);"}.get(first, "")  # fmt: skip
    rows = frames(
        f'{other} CREATE TABLE shift (id integer PRIMARY KEY, "{first}" {kept_as} NOT NULL, "{last}" {kept_as})', shift=200
    )
    spans = rows["shift"].dropna()
    begun, ended = (pd.to_datetime(spans[name], format="ISO8601") for name in (first, last))
    assert len(spans) > 100 and (begun <= ended).all() and (ended - begun).median() < pd.Timedelta(days=2)


def test_what_a_row_says_in_two_columns_goes_together() -> None:
    rows = frames(
        """CREATE TABLE haul (id integer PRIMARY KEY, date TEXT NOT NULL, time TEXT NOT NULL, licence_until TEXT NOT NULL,
           weight_lb integer NOT NULL, weight_oz integer NOT NULL, length_ft integer NOT NULL, length_in numeric(4,1) NOT NULL);
           CREATE TABLE payout (id integer PRIMARY KEY, gross numeric(9,2) NOT NULL, platform_fee numeric(9,2) NOT NULL,
           processing_fee numeric(9,2) NOT NULL, net numeric(9,2) NOT NULL, limit_qty integer NOT NULL, claimed_qty integer NOT NULL);
           CREATE TABLE quote (id integer PRIMARY KEY, labour_ex numeric(9,2), parts_ex numeric(9,2), total_ex numeric(9,2) NOT NULL);
           CREATE TABLE passage (id integer PRIMARY KEY, grade_entered varchar(20) NOT NULL, entered timestamp NOT NULL)""",
        haul=200, payout=200, quote=200, passage=100,
    )  # fmt: skip
    haul, payout, quote = (rows[name] for name in ("haul", "payout", "quote"))
    assert (
        haul["time"].str.fullmatch(r"[0-2]\d:[0-5]\d").all() and haul["licence_until"].str.fullmatch(r"\d{4}-\d\d-\d\d.*").all()
    )
    assert haul["weight_oz"].between(0, 15).all() and haul["length_in"].astype(float).between(0, 12).all()
    assert haul["weight_oz"].nunique() > 8 and not rows["passage"]["grade_entered"].str.match(r"\d{4}-").any()
    gross, net = payout["gross"].astype(float), payout["net"].astype(float)
    fees = payout["platform_fee"].astype(float) + payout["processing_fee"].astype(float)
    assert (
        ((gross - fees - net).abs() < 0.011).all()
        and (net > 0.8 * gross).all()
        and (payout["claimed_qty"] <= payout["limit_qty"]).all()
    )
    parts = quote[["labour_ex", "parts_ex"]].astype(float).sum(axis=1)
    assert ((quote["total_ex"].astype(float) - parts).abs() < 0.011).all() and parts.nunique() > 100


def test_a_noun_comes_first_in_french_and_a_day_behind_am_in_german() -> None:
    stamps = frames(
        "CREATE TABLE vignette (id integer PRIMARY KEY, pays_emetteur varchar(50) NOT NULL, couleur varchar(30), annee_parution smallint,"
        " raison_sociale varchar(60) NOT NULL, prenom varchar(40), nom varchar(40), acompte_pct numeric(4,1) NOT NULL)",
        vignette=100,
    )["vignette"]
    assert not stamps["pays_emetteur"].str.contains("@").any() and stamps["pays_emetteur"].nunique() > 2
    assert (stamps["acompte_pct"].astype(float) <= 100).all() and (
        stamps["raison_sociale"] != stamps["prenom"] + " " + stamps["nom"]
    ).all()
    finds = frames(
        "CREATE TABLE fund (id integer PRIMARY KEY, gefunden_am TEXT NOT NULL, fundort TEXT, richtung_grad integer NOT NULL, bemerkung TEXT,"
        " zustand TEXT, gemeldet_am TEXT NOT NULL)",
        fund=200,
    )["fund"]
    assert (finds["gefunden_am"] <= finds["gemeldet_am"]).all() and finds["gefunden_am"].str.match(r"\d{4}-\d\d-\d\d").all()
    assert finds["richtung_grad"].between(0, 360).all() and finds["richtung_grad"].max() > 200


def test_a_table_of_nothing_but_texts_keeps_numbers_and_flags_in_them() -> None:
    """As a sheet does that was read in; where a model types its numbers, a text is none for the like of its name."""
    sheet = "day date, age, percentage, balance, tax_rate, fare, seats, rssi, present, discount, week_no, floor_no".replace(
        " date", ""
    )
    columns = ", ".join(f"{name} TEXT" for name in sheet.split(", "))
    rows = frames(
        f"""CREATE TABLE tally (id integer PRIMARY KEY, {columns}, tally_date TEXT, check_in TEXT, check_out TEXT);
            CREATE TABLE parley (id integer PRIMARY KEY, seats text, threads text, db text, present_by text, amount numeric(9,2),
            held_on date, open boolean)""",
        tally=200, parley=60,
    )  # fmt: skip
    tally = rows["tally"].drop(columns=["day"]).dropna()
    limits = {"age": (0, 110), "percentage": (0, 100), "balance": (0, 1e6), "tax_rate": (0, 50), "fare": (1, 1000), "seats": (1, 2000),
              "rssi": (-130, -20), "discount": (0, 100), "week_no": (1, 53), "floor_no": (-2, 60)}  # fmt: skip
    for name, (low, high) in limits.items():
        assert tally[name].astype(float).between(low, high).all(), name
    assert set(tally["present"]) == {"yes", "no"} and (tally["check_in"] < tally["check_out"]).all()
    assert not rows["parley"][["db", "present_by"]].stack().str.fullmatch(r"-?\d+|yes|no").any()


def test_whom_a_row_is_for_is_not_whom_it_is_from() -> None:
    rows = frames(
        """CREATE TABLE letter (id serial PRIMARY KEY, "from" varchar(80) NOT NULL, "to" varchar(80) NOT NULL, subject text);
           CREATE TABLE mail (id serial PRIMARY KEY, from_email varchar(80) NOT NULL, to_email varchar(80) NOT NULL, subject text);
           CREATE TABLE note (id serial PRIMARY KEY, sender_name varchar(80) NOT NULL, sender_email varchar(80) NOT NULL,
           recipient_name varchar(80) NOT NULL, recipient_email varchar(80) NOT NULL);
           CREATE TABLE trip (id serial PRIMARY KEY, "from" varchar(80) NOT NULL, "to" varchar(80) NOT NULL, km numeric(6,1));
           CREATE TABLE checkup (id serial PRIMARY KEY, pulse smallint, weight_kg numeric(5,1) NOT NULL)""",
        letter=100, mail=100, note=100, trip=100, checkup=100,
    )  # fmt: skip
    for table, one, other in (("letter", "from", "to"), ("mail", "from_email", "to_email"), ("trip", "from", "to"),
                              ("note", "sender_email", "recipient_email"), ("note", "sender_name", "recipient_name")):  # fmt: skip
        assert (rows[table][one] != rows[table][other]).mean() > 0.95, (table, one)
    assert rows["mail"]["to_email"].str.contains("@").all() and rows["letter"]["from"].str.contains("@").all()
    for who in ("sender", "recipient"):
        names = rows["note"][f"{who}_name"].str.split().str[-1].str.lower().str.replace("[^a-z]", "", regex=True)
        assert sum(name in mail for name, mail in zip(names, rows["note"][f"{who}_email"], strict=True)) > 80, who
    assert rows["checkup"]["weight_kg"].astype(float).between(40, 130).all()


def test_what_is_left_of_a_price_is_below_it_and_numbers_that_begin_alike_make_a_product() -> None:
    rows = frames(
        """CREATE TABLE asset (id serial PRIMARY KEY, purchase_cost numeric(10,2) NOT NULL, residual_value numeric(10,2) NOT NULL,
           book_value numeric(10,2) NOT NULL, building varchar(40) NOT NULL);
           CREATE TABLE claim (id serial PRIMARY KEY, mileage_miles numeric(6,1) NOT NULL, mileage_rate numeric(4,2) NOT NULL,
           mileage_amount numeric(8,2) NOT NULL, overtime_hours numeric(5,1), overtime_rate numeric(6,2), overtime_pay numeric(9,2));
           CREATE TABLE visitor (id serial PRIMARY KEY, visitor_name varchar(80) NOT NULL, host varchar(80) NOT NULL,
           temperature numeric(3,1) NOT NULL)""",
        asset=200, claim=200, visitor=100,
    )  # fmt: skip
    asset, claim = rows["asset"], rows["claim"].dropna().astype(float)
    assert (asset["residual_value"] <= asset["purchase_cost"]).all() and (asset["book_value"] <= asset["purchase_cost"]).all()
    for stem, many, made in (("mileage", "miles", "amount"), ("overtime", "hours", "pay")):
        product = claim[f"{stem}_{many}"] * claim[f"{stem}_rate"]
        assert len(claim) > 60 and ((claim[f"{stem}_{made}"] - product).abs() < 0.011).all() and product.nunique() > 50, stem
    assert (
        rows["visitor"]["host"].str.fullmatch(SOMEBODY).all()
        and rows["visitor"]["temperature"].astype(float).between(35, 40).all()
    )
    assert (rows["visitor"]["host"] != rows["visitor"]["visitor_name"]).mean() > 0.95


def test_a_variance_is_what_was_found_less_what_was_expected() -> None:
    for awaited, found, apart in (("expected_qty", "counted_qty", "variance"), ("budget_hours", "actual_hours", "hours_variance"),
                                  ("system_count", "physical_count", "difference"), ("expected_metres", "counted_metres", "variance")):  # fmt: skip
        columns = ", ".join(f"{name} integer NOT NULL" for name in (awaited, found, apart))
        made = weltigen.read_model(f"CREATE TABLE stock_take (id integer PRIMARY KEY, {columns}, notes text)").dataset()
        rows = made.frame("stock_take")
        assert (rows[apart] == rows[found] - rows[awaited]).all() and rows[awaited].corr(rows[found], method="spearman") > 0.8
        assert made.plan.world.entity("stock_take").topic == "warehouse"


def test_what_stands_behind_a_name_is_what_that_name_calls_for() -> None:
    rows = frames(
        "CREATE TABLE attribute (id serial PRIMARY KEY, name varchar(40) NOT NULL);"
        "CREATE TABLE ferry_attribute (id serial PRIMARY KEY, attribute_id integer NOT NULL REFERENCES attribute(id),"
        " value varchar(80) NOT NULL);"
        "CREATE TABLE user_setting (id serial PRIMARY KEY, setting_key varchar(60) NOT NULL, value text NOT NULL);"
        "CREATE TABLE change_log (id serial PRIMARY KEY, field_name varchar(40) NOT NULL, old_value text, new_value text);",
        ferry_attribute=2000, user_setting=2000,
    )  # fmt: skip
    named = rows["ferry_attribute"].merge(rows["attribute"], left_on="attribute_id", right_on="id")
    for name, form in (("Voltage", r"\d+ V"), ("Weight", r"[\d.]+ kg"), ("Length", r"\d+ cm"), ("Colour", "[a-z]+")):
        values = named["value"][named["name"] == name]
        assert len(values) > 3 and values.str.fullmatch(form).all() and values.nunique() > 1, name
    settings = rows["user_setting"]
    for end, form in ((r"\.host", r"[\w.]+"), (r"\.enabled", "true|false"), (r"[._]limit", r"\d+")):
        values = settings["value"][settings["setting_key"].str.contains(f"{end}$")]
        assert len(values) > 3 and values.str.fullmatch(form).all(), end
    changes = rows["change_log"].dropna()
    dates = changes[changes["field_name"] == "due_date"]
    assert pd.to_datetime(dates["old_value"]).notna().all() and (dates["old_value"] != dates["new_value"]).mean() > 0.5


def test_parts_are_numbered_from_one_and_a_summary_is_a_title_where_nothing_else_is() -> None:
    rows = frames(
        "CREATE TABLE manual (id serial PRIMARY KEY, summary varchar(200) NOT NULL);"
        "CREATE TABLE manual_page (id serial PRIMARY KEY, manual_id integer NOT NULL REFERENCES manual(id),"
        " page_number integer NOT NULL, business_person varchar(80) NOT NULL);"
        "CREATE TABLE language (id serial PRIMARY KEY, short_name varchar(8) NOT NULL, full_name varchar(40) NOT NULL);"
    )
    pages = rows["manual_page"]
    assert pages["page_number"].min() == 1 and pages["page_number"].median() < 12
    assert pages["business_person"].str.fullmatch(SOMEBODY).mean() > 0.95
    assert rows["manual"]["summary"].str.len().between(4, 70).all() and not rows["manual"]["summary"].str.endswith(".").any()
    assert {"German", "French"} & set(rows["language"]["full_name"])


def test_how_long_something_lasts_on_one_day_is_told_in_hours_and_minutes() -> None:
    rows = frames(
        "CREATE TABLE volunteer_shift (id serial PRIMARY KEY, shift_date date NOT NULL, from_time time NOT NULL, to_time time NOT NULL,"
        " hours_worked numeric(4,2) NOT NULL);"
        "CREATE TABLE lesson (id serial PRIMARY KEY, day date NOT NULL, starts time NOT NULL, ends time NOT NULL,"
        " duration_minutes integer NOT NULL);"
    )
    for name, first, last, told, unit in (
        ("volunteer_shift", "from_time", "to_time", "hours_worked", 3600),
        ("lesson", "starts", "ends", "duration_minutes", 60),
    ):
        start, end = (pd.to_timedelta(rows[name][one].astype(str)).dt.total_seconds() for one in (first, last))
        assert ((end - start) / unit - rows[name][told].astype(float)).abs().max() < 0.01, name
    assert rows["volunteer_shift"]["hours_worked"].median() > 4 and rows["lesson"]["duration_minutes"].median() < 120


def test_a_word_before_another_says_which_and_a_unit_is_read_by_the_nearest_that_is_known() -> None:
    rows = frames(
        "CREATE TABLE narrowboat (id integer PRIMARY KEY, home_mooring text NOT NULL, gate_material varchar(40) NOT NULL,"
        " last_blacked text NOT NULL, built_circa integer, hourly_charge numeric(8,2), church varchar(60), website varchar(80));"
        "CREATE TABLE waterway (id integer PRIMARY KEY, length_miles real NOT NULL);"
    )
    assert rows["waterway"]["length_miles"].median() > 0.5
    rows = rows["narrowboat"]
    assert not rows["home_mooring"].str.contains("/").any() and rows["gate_material"].str.contains("steel|wood").any()
    assert pd.to_datetime(rows["last_blacked"]).dt.year.between(2020, 2026).all()
    assert rows["built_circa"].between(1700, 2026).all() and rows["hourly_charge"].dropna().astype(float).between(8, 200).all()
    assert rows["church"].dropna().str.match("St |All |Holy ").all()


def test_entries_close_before_a_race_begins_and_teams_that_play_have_names_of_players() -> None:
    rows = frames(
        "CREATE TABLE regatta (id serial PRIMARY KEY, entries_open date NOT NULL, entries_close date NOT NULL, start_date date NOT NULL,"
        " end_date date NOT NULL);"
        "CREATE TABLE team (id serial PRIMARY KEY, team_name varchar(60) NOT NULL, captain varchar(60), age_category varchar(20) NOT NULL);"
        'CREATE TABLE rower (id serial PRIMARY KEY, "DoB" date NOT NULL, pub_name varchar(60) NOT NULL, yellow_cards integer NOT NULL);'
    )
    race = rows["regatta"]
    assert (race["entries_open"] <= race["entries_close"]).all() and (race["entries_close"] <= race["start_date"]).all()
    assert (race["start_date"] <= race["end_date"]).all()
    assert rows["team"]["team_name"].str.contains("Hawks|Lions|United|Rovers|Athletic|Rangers|FC|Eagles").any()
    assert rows["team"]["age_category"].str.fullmatch(r"U\d+|Senior|Veteran").all()
    assert (pd.to_datetime(rows["rower"]["DoB"]).dt.year < 2012).mean() > 0.8 and rows["rower"]["yellow_cards"].max() < 5


@pytest.mark.parametrize(
    ("language", "glad", "cross"),
    [("en", "happy|great|again", "never|nobody|disappointed|not "), ("de", "zufrieden|gern|gut", "nie|niemand|enttäuscht|nicht")],
)
def test_who_gives_one_star_is_not_happy(language: str, glad: str, cross: str) -> None:
    names = {"en": ("review", "stars", "body"), "de": ("bewertung", "sterne", "kommentar")}[language]
    sql = f"CREATE TABLE {names[0]} (id serial PRIMARY KEY, {names[1]} smallint NOT NULL CHECK ({names[1]} BETWEEN 1 AND 5), {names[2]} text NOT NULL);"
    more = (
        ""
        if language == "en"
        else "CREATE TABLE kunde (id serial PRIMARY KEY, vorname varchar(40), nachname varchar(40), strasse varchar(60), ort varchar(60));"
    )
    rows = frames(sql + more, **{names[0]: 2000})[names[0]]
    text = rows[names[2]].str.lower()
    best, worst = (text[rows[names[1]] == stars] for stars in (5, 1))
    assert len(worst) > 20 and best.nunique() > 50
    assert best.str.contains(glad).mean() > 2 * worst.str.contains(glad).mean()
    assert worst.str.contains(cross).mean() > 0.5 > 2 * best.str.contains(cross).mean()
