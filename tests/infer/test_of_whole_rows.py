"""What one field of a row is by others of it, whatever they are called: shares of a whole, parts of a date, entities of a reference."""

from __future__ import annotations

from typing import Any

import pandas as pd
import pytest

import weltigen

THINGS = ["disk", "fuel_tank", "memory", "quota", "locker", "deck"]
TYPES = ["bigint NOT NULL", "integer NOT NULL", "numeric(12,2) NOT NULL", "double precision NOT NULL"]


def rows_of(sql: str, entity: str, rows: int = 300) -> Any:
    return weltigen.read_model(sql, dialect="postgresql").dataset(rows={entity: rows}).frame(entity)


@pytest.mark.parametrize("thing", THINGS)
@pytest.mark.parametrize("kind", TYPES)
@pytest.mark.parametrize("form", ["{thing}_{part}", "{part}_{thing}"])
def test_what_is_free_is_all_less_what_is_used(thing: str, kind: str, form: str) -> None:
    used, free, whole = (form.format(thing=thing, part=part) for part in ("used", "free", "total"))
    rows = rows_of(
        f"CREATE TABLE berth (id integer PRIMARY KEY, {used} {kind}, {whole} {kind}, {free} {kind}, {thing}_perc integer);",
        "berth",
    )
    numbers = rows[[used, free, whole]].astype(float)
    assert (numbers[used] <= numbers[whole]).all() and (numbers[free] >= 0).all()
    assert (numbers[used] + numbers[free] - numbers[whole]).abs().max() < 0.02
    share = rows[f"{thing}_perc"].dropna().astype(float)
    assert (
        share.between(0, 100).all()
        and (share - 100 * numbers[used] / numbers[whole])[numbers[whole] > 0].dropna().abs().max() < 1
    )


@pytest.mark.parametrize("kind", ["date", "timestamp", "timestamptz"])
@pytest.mark.parametrize("stem", ["", "haul_"])
def test_parts_of_a_date_are_those_of_the_date_beside_them(kind: str, stem: str) -> None:
    date = f"{stem or 'landed_'}on" if kind == "date" else f"{stem or 'landed_'}at"
    parts = ", ".join(f"{stem}{part} smallint NOT NULL" for part in ("year", "quarter", "month", "week", "day"))
    rows = rows_of(
        f"CREATE TABLE catch (id integer PRIMARY KEY, {date} {kind} NOT NULL, {parts}, created_at timestamp NOT NULL);", "catch"
    )
    told = pd.to_datetime(rows[date], utc=kind == "timestamptz")
    assert list(rows[f"{stem}year"]) == list(told.dt.year) and list(rows[f"{stem}quarter"]) == list(told.dt.quarter)
    assert list(rows[f"{stem}month"]) == list(told.dt.month) and list(rows[f"{stem}day"]) == list(told.dt.day)
    assert list(rows[f"{stem}week"]) == list(told.dt.isocalendar().week)


def test_a_year_by_itself_is_of_the_thing_and_not_of_a_date() -> None:
    rows = rows_of(
        "CREATE TABLE vessel (id integer PRIMARY KEY, build_year smallint NOT NULL, bought_on date NOT NULL);", "vessel"
    )
    assert (rows["build_year"] != pd.to_datetime(rows["bought_on"]).dt.year).mean() > 0.8


@pytest.mark.parametrize("check", ["ends_at > starts_at", "(ends_at IS NULL OR starts_at <= ends_at)", "starts_at < ends_at"])
@pytest.mark.parametrize(
    "more", ["", "created_at timestamp NOT NULL, CHECK (created_at <= starts_at),", "UNIQUE (hall, starts_at),"]
)
def test_a_check_of_an_order_leaves_what_is_planned_at_full_steps_of_the_clock(check: str, more: str) -> None:
    sql = f"CREATE TABLE lesson (id integer PRIMARY KEY, hall integer, starts_at timestamp NOT NULL, {more} ends_at timestamp, CHECK ({check}));"
    rows = rows_of(sql, "lesson")
    length = (rows["ends_at"] - rows["starts_at"]).dropna()
    assert length.between("15 minutes", "3 hours").all()
    assert (rows["starts_at"].dt.minute % 15 == 0).all() and rows["starts_at"].dt.hour.between(6, 22).mean() > 0.9


@pytest.mark.parametrize(
    ("mean", "most"),
    [
        ("wind_knots_avg", "wind_knots_gust"),
        ("avg_speed", "max_speed"),
        ("wind_speed", "gust_speed"),
        ("mean_height", "peak_height"),
    ],
)
def test_no_mean_is_above_its_peak(mean: str, most: str) -> None:
    rows = rows_of(
        f"CREATE TABLE reading (id integer PRIMARY KEY, {mean} numeric(6,1) NOT NULL, {most} numeric(6,1) NOT NULL);", "reading"
    )
    assert (rows[mean].astype(float) <= rows[most].astype(float)).all() and (rows[mean] != rows[most]).mean() > 0.7


ANYTHING = {
    "commentable": "Buoy",
    "taggable": "Buoy",
    "digitised": "Buoy",
    "target": "buoys",
    "subject": "buoys",
    "author": "Keeper",
    "sender": "Keeper",
}


@pytest.mark.parametrize("stem", ANYTHING)
@pytest.mark.parametrize("key", ["integer", "bigint", "uuid", "varchar(36)"])
@pytest.mark.parametrize("sort", ["type", "class"])
def test_a_reference_to_any_entity_names_one_of_the_model(stem: str, key: str, sort: str) -> None:
    sql = f"""CREATE TABLE keepers (id integer PRIMARY KEY, first_name text); CREATE TABLE buoys (id integer PRIMARY KEY, colour text);
      CREATE TABLE anchors (id integer PRIMARY KEY, weight_kg numeric(6,1));
      CREATE TABLE entries (id integer PRIMARY KEY, {stem}_{sort} varchar(40) NOT NULL, {stem}_id {key} NOT NULL);"""
    told = set(rows_of(sql, "entries")[f"{stem}_{sort}"])
    every = {"Keeper", "Buoy", "Anchor"} if ANYTHING[stem][0].isupper() else {"keepers", "buoys", "anchors"}
    assert ANYTHING[stem] in told <= every


def test_a_type_of_a_thing_or_beside_a_reference_is_none() -> None:
    sql = """CREATE TABLE buoys (id integer PRIMARY KEY, colour text);
      CREATE TABLE lamps (id integer PRIMARY KEY, lamp_type varchar(40) NOT NULL, target_type varchar(40) NOT NULL,
        target_id integer NOT NULL REFERENCES buoys, lamp_id varchar(36) NOT NULL);"""
    rows = rows_of(sql, "lamps")
    assert not {"buoys", "Buoy"} & (set(rows["lamp_type"]) | set(rows["target_type"]) - {"buoys"})


@pytest.mark.parametrize(
    "few", ["payment_type", "account_status", "close_reason", "tax_category", "contact_method", "severity_level"]
)
@pytest.mark.parametrize("room", [6, 40])
def test_a_code_of_a_few_is_one_of_a_few_capitals(few: str, room: int) -> None:
    rows = rows_of(
        f"CREATE TABLE due (id integer PRIMARY KEY, {few}_code varchar({room}) NOT NULL, {few} varchar(60) NOT NULL);", "due"
    )
    assert rows[f"{few}_code"].str.fullmatch("[A-Z0-9]+(_[A-Z0-9]+)*").all() and 1 < rows[f"{few}_code"].nunique() < 30
    assert rows[f"{few}_code"].str.len().max() <= room


def test_milliseconds_of_days_fit_any_integer() -> None:
    sql = "CREATE TABLE watch (id integer PRIMARY KEY, total_ms integer NOT NULL, time_open integer NOT NULL, time_close integer NOT NULL);"
    rows = rows_of(sql, "watch", 2_000)
    whole = (rows["time_close"].astype("int64") - rows["time_open"].astype("int64")) * 1_000
    assert list(rows["total_ms"].astype("int64")) == list(whole.clip(upper=2**31 - 1))


@pytest.mark.parametrize("unit", ["score", "points", "marks"])
@pytest.mark.parametrize("form", ["{what}_{unit}", "{unit}_{what}"])
def test_scores_make_their_total_less_what_is_taken_off(unit: str, form: str) -> None:
    total = form.format(what="total", unit=unit)
    sql = f"CREATE TABLE skating (id integer PRIMARY KEY, technical_{unit} numeric(5,2), artistic_{unit} numeric(5,2) NOT NULL, deductions numeric(3,1), {total} numeric(7,2), max_{unit} integer)"
    rows = rows_of(sql, "skating").astype(float).fillna(0)
    made = rows[f"technical_{unit}"] + rows[f"artistic_{unit}"] - rows["deductions"]
    assert (rows[total] - made).abs().max() < 0.01 and rows[total].nunique() > 100


def test_of_what_is_asked_a_part_is_allowed_and_a_part_of_that_paid() -> None:
    sql = "CREATE TABLE tow_claims (id integer PRIMARY KEY, billed_amount numeric(8,2) NOT NULL, allowed_amount numeric(8,2) NOT NULL, paid_amount numeric(8,2), patient_portion numeric(8,2))"
    rows = rows_of(sql, "tow_claims").astype(float)
    paid, allowed = rows["paid_amount"].fillna(0), rows["allowed_amount"]
    assert (allowed <= rows["billed_amount"]).all() and (paid <= allowed).all() and paid.nunique() > 50
    assert (rows["patient_portion"] - (allowed - paid)).abs().max() < 0.01


def test_two_sure_guesses_that_leave_no_room_bound_nothing() -> None:
    sql = "CREATE TABLE kiln_charge (id integer PRIMARY KEY, sawmill varchar(20), dry_bulb_c numeric(4,1) NOT NULL, wet_bulb_c numeric(4,1) NOT NULL)"
    rows = rows_of(sql, "kiln_charge")
    assert (rows["wet_bulb_c"] <= rows["dry_bulb_c"]).all() and rows["wet_bulb_c"].astype(float).between(10, 100).all()


@pytest.mark.parametrize(
    ("verb", "noun"), [("died", "death"), ("lost", "loss"), ("moulted", "moulting"), ("sold", "sale"), ("ringed", "ringing")]
)
@pytest.mark.parametrize("kind", ["date", "timestamp"])
def test_the_cause_of_an_end_is_told_where_the_end_came(verb: str, noun: str, kind: str) -> None:
    rows = rows_of(
        f"CREATE TABLE gull (id integer PRIMARY KEY, hatched_on {kind} NOT NULL, {verb}_on {kind}, cause_of_{noun} varchar(80));",
        "gull",
        600,
    )
    ended = rows[f"{verb}_on"].notna()
    assert (rows[f"cause_of_{noun}"].notna() == ended).all() and 0 < ended.mean() < 0.5


@pytest.mark.parametrize(("low", "high"), [(1, 5), (0, 10), (1, 10), (0, 4)])
@pytest.mark.parametrize("name", ["keenness", "ufdrm", "tameness"])
def test_a_number_of_a_scale_is_mostly_in_its_middle(name: str, low: int, high: int) -> None:
    rows = rows_of(
        f"CREATE TABLE gull (id integer PRIMARY KEY, {name} smallint NOT NULL CHECK ({name} BETWEEN {low} AND {high}));",
        "gull",
        900,
    )
    shares = rows[name].value_counts(normalize=True)
    assert set(shares.index) <= set(range(low, high + 1)) and abs(rows[name].mean() - (low + high) / 2) < (high - low) / 5
    assert shares.get(low, 0) < 0.2 > shares.get(high, 0)


@pytest.mark.parametrize("visit", ["visited", "seen", "examined", "admitted", "treated"])
def test_a_follow_up_comes_days_after_the_visit(visit: str) -> None:
    rows = rows_of(
        f"CREATE TABLE check_over (id integer PRIMARY KEY, {visit}_on date NOT NULL, follow_up_on date NOT NULL);", "check_over"
    )
    days = (pd.to_datetime(rows["follow_up_on"]) - pd.to_datetime(rows[f"{visit}_on"])).dt.days
    assert days.between(0, 366).all() and days.median() > 5


LINES = (
    "CREATE TABLE {entity} (id integer PRIMARY KEY, {of}_id integer NOT NULL REFERENCES {of}, {column} numeric(9,2) NOT NULL);"
)


@pytest.mark.parametrize(
    ("of", "there", "entity", "column", "repeats"),
    [
        ("rope", "price", "rope_line", "unit_price", True),
        ("rope", "selling_price", "hire_item", "price", True),
        ("berth_booking", "grand_total", "payment", "amount", True),
        ("sail_hire", "total", "hire_receipt", "amount_paid", True),
        ("rope", "price", "rope_mooring", "price", False),
        ("island", "total", "payment", "amount", False),
    ],
)
def test_a_line_costs_what_its_thing_does_and_a_payment_pays_its_order(
    of: str, there: str, entity: str, column: str, repeats: bool
) -> None:
    made = f"CREATE TABLE {of} (id integer PRIMARY KEY, {there} numeric(9,2) NOT NULL); " + LINES.format(
        entity=entity, of=of, column=column
    )
    dataset = weltigen.read_model(made, dialect="postgresql").dataset(rows={of: 60, entity: 200})
    told = dataset.frame(of).set_index("id")[there]
    rows = dataset.frame(entity)
    same = rows[column].to_numpy() == told.loc[rows[f"{of}_id"]].to_numpy()
    assert same.all() if repeats else not same.all()


@pytest.mark.parametrize("entity", ["lift_kind", "fare_type", "berth_class", "landing_reason"])
@pytest.mark.parametrize(("code", "label", "room"), [("code", "name", 12), ("key", "title", 4), ("code", "label", 3)])
def test_codes_of_a_short_list_are_short_for_its_names(entity: str, code: str, label: str, room: int) -> None:
    sql = f"""CREATE TABLE {entity} ({code} varchar({room}) PRIMARY KEY, {label} varchar(60) NOT NULL, days smallint NOT NULL);
    CREATE TABLE visit (id integer PRIMARY KEY, {entity}_{code} varchar({room}) NOT NULL REFERENCES {entity});"""
    rows = weltigen.read_model(sql).dataset().frame(entity)
    assert 2 <= len(rows) <= 20 and rows[label].is_unique and rows[code].str.fullmatch("[A-Z0-9]{2,4}").all()
    assert (rows[code].str[0] == rows[label].str[0].str.upper()).all()


@pytest.mark.parametrize("died", ["died_on", "date_of_death", "gestorben_am"])
@pytest.mark.parametrize("buried", ["buried_on", "funeral_date", "cremated_on"])
def test_a_burial_follows_a_death_within_days_and_a_life_comes_before(died: str, buried: str) -> None:
    rows = rows_of(
        f"CREATE TABLE burial (id integer PRIMARY KEY, born_on date NOT NULL, {died} date NOT NULL, {buried} date NOT NULL);",
        "burial",
    )
    born, dead, under = (pd.to_datetime(rows[name]) for name in ("born_on", died, buried))
    assert (under - dead).dt.days.between(0, 30).all() and (dead - born).dt.days.ge(0).all()
    assert 50 < ((dead - born).dt.days / 365).median() < 90


@pytest.mark.parametrize(
    ("table", "less", "most"),
    [
        ("voucher", "balance", "amount"), ("gift_card", "remaining_amount", "initial_amount"), ("lot", "quantity_left", "quantity_received"),
        ("catch", "gutted_kg", "gross_kg"), ("delivery", "filleted_weight_kg", "live_weight_kg"), ("pass", "current_balance", "face_value"),
    ],
)  # fmt: skip
def test_what_is_left_is_no_more_than_there_was(table: str, less: str, most: str) -> None:
    rows = rows_of(
        f"CREATE TABLE {table} (id integer PRIMARY KEY, {most} numeric(9,2) NOT NULL, {less} numeric(9,2) NOT NULL, seen date);",
        table,
    )
    assert (rows[less] <= rows[most]).all() and rows[most].nunique() > 3 and (rows[less] < rows[most]).mean() > 0.4


def test_a_scientific_name_is_that_of_the_common_one() -> None:
    sql = """CREATE TABLE fish_species (id integer PRIMARY KEY, common_name varchar(60) NOT NULL, latin_name varchar(80) NOT NULL);
    CREATE TABLE fish (id integer PRIMARY KEY, fish_species_id integer NOT NULL REFERENCES fish_species, weight_g integer);"""
    rows = weltigen.read_model(sql).dataset(rows={"fish_species": 18}).frame("fish_species")
    known = {"Pike": "Esox lucius", "Perch": "Perca fluviatilis", "Salmon": "Salmo salar", "Brown trout": "Salmo trutta"}
    met = {common: latin for common, latin in zip(rows["common_name"], rows["latin_name"], strict=True) if common in known}
    assert rows["common_name"].is_unique and len(met) == 4 and all(known[common] == latin for common, latin in met.items())


@pytest.mark.parametrize(("more", "american"), [("", True), (", iban varchar(34)", False), (", postcode varchar(10)", False)])
def test_a_state_beside_a_zip_code_is_american(more: str, american: bool) -> None:
    rows = rows_of(
        "CREATE TABLE keeper (id integer PRIMARY KEY, city varchar(60) NOT NULL, state char(2) NOT NULL, zip varchar(10) NOT NULL,"
        f" phone varchar(20) NOT NULL{more});",
        "keeper",
    )
    told = rows["zip"].str.fullmatch("[0-9]{5}").all() and rows["phone"].str.startswith("+1").all()
    assert told == american and (not american or {"CA", "TX", "NY"} <= set(rows["state"]))


def test_whoever_buys_a_voucher_is_not_who_gets_it_and_firms_abroad_are_no_sorts() -> None:
    rows = rows_of(
        "CREATE TABLE voucher (id integer PRIMARY KEY, buyer_email varchar(80) NOT NULL, recipient_name varchar(80) NOT NULL,"
        " message varchar(200));",
        "voucher",
    )
    first = rows["recipient_name"].str.split().str[0].str.lower()
    assert sum(name in mail for name, mail in zip(first, rows["buyer_email"], strict=True)) < 30
    rows = rows_of(
        "CREATE TABLE auftrag (id integer PRIMARY KEY, gaertnerei varchar(80) NOT NULL, leistung varchar(120) NOT NULL,"
        " kunde varchar(60) NOT NULL, bemerkung text, erstellt_am timestamp NOT NULL, betrag numeric(8,2) NOT NULL);",
        "auftrag",
    )
    assert rows["gaertnerei"].str.contains("GmbH|OHG|AG|KG|Söhne|&|UG").mean() > 0.7 and not rows["leistung"].str.isdigit().any()


@pytest.mark.parametrize("thing", ["boat", "crate", "parcel", "plank"])
@pytest.mark.parametrize(
    "sizes", [("length_cm", "width_cm", "weight_kg"), ("laenge", "breite", "gewicht"), ("length_m", "beam_m", "draught_m")]
)
def test_sizes_of_a_thing_go_together(thing: str, sizes: tuple[str, ...]) -> None:
    columns = ", ".join(f"{size} numeric(9,2) NOT NULL" for size in sizes)
    more = ", bezeichnung text, hersteller text, lieferant text" if sizes[0] == "laenge" else ""
    rows = rows_of(f"CREATE TABLE {thing} (id integer PRIMARY KEY, {columns}{more});", thing, 2000)
    ranks = rows[list(sizes)].astype(float).corr("spearman").to_numpy()
    assert ranks[0, 1:].min() > 0.55 and ranks.min() > 0.35, ranks
    if "beam_m" in sizes:
        assert (rows["beam_m"].astype(float) < rows["length_m"].astype(float)).mean() > 0.9


@pytest.mark.parametrize("which", ["kind", "discount_type", "type"])
@pytest.mark.parametrize("values", [("percent", "fixed"), ("percentage", "amount"), ("PERCENT", "FIXED_AMOUNT", "FREE")])
def test_a_coupon_lets_off_per_cents_or_sums(which: str, values: tuple[str, ...]) -> None:
    listed = ", ".join(f"'{value}'" for value in values)
    sql = f"CREATE TABLE coupon (id integer PRIMARY KEY, {which} varchar(20) NOT NULL CHECK ({which} IN ({listed})), value numeric(8,2) NOT NULL"
    rows = rows_of(
        f"{sql}, uses integer NOT NULL, max_uses integer NOT NULL, gross integer NOT NULL, fee integer NOT NULL, net integer NOT NULL);",
        "coupon",
    )
    share = rows[rows[which] == values[0]]["value"].astype(float)
    assert share.between(1, 60).all() and share.nunique() > 3 and rows["value"].astype(float).max() <= 60
    assert (rows["uses"] <= rows["max_uses"]).all() and (rows["net"] == rows["gross"] - rows["fee"]).all()


@pytest.mark.parametrize(
    ("found", "looked_at"),
    [("leaves_affected", "leaves_checked"), ("defective_parts", "inspected_parts"), ("trees_damaged", "trees_surveyed")],
)
def test_what_was_found_is_no_more_than_was_looked_at(found: str, looked_at: str) -> None:
    rows = rows_of(
        f"CREATE TABLE survey (id integer PRIMARY KEY, {looked_at} integer NOT NULL, {found} integer NOT NULL, on_day date);",
        "survey",
    )
    assert (rows[found] <= rows[looked_at]).all() and rows[looked_at].nunique() > 3


def test_buyers_have_names_in_two_parts_and_parts_of_a_place_letters() -> None:
    rows = rows_of(
        "CREATE TABLE sale (id integer PRIMARY KEY, buyer_first varchar(40) NOT NULL, buyer_last varchar(40) NOT NULL, buyer_email varchar(80) NOT NULL);",
        "sale",
    )
    parts = zip(rows["buyer_first"].str.lower(), rows["buyer_email"], strict=True)
    assert sum(first[:3] in mail for first, mail in parts) > 200 and rows["buyer_last"].nunique() > 60
    sql = """CREATE TABLE churchyard (id integer PRIMARY KEY, name varchar(60) NOT NULL);
    CREATE TABLE grave_block (id integer PRIMARY KEY, churchyard_id integer NOT NULL REFERENCES churchyard, name varchar(30) NOT NULL);"""
    assert rows_of(sql, "grave_block")["name"].str.fullmatch("Block [A-H]").all()


def test_makers_come_again_where_models_tell_them_apart_and_prices_are_of_what_is_done() -> None:
    sql = "CREATE TABLE pump (id integer PRIMARY KEY, manufacturer varchar(60) NOT NULL, model_no varchar(20) NOT NULL, UNIQUE (manufacturer, model_no));"
    makers = rows_of(sql, "pump", 3000)["manufacturer"]
    assert not makers.str.contains(r"\d").any() and makers.nunique() < 300
    sql = "CREATE TABLE garment (id integer PRIMARY KEY, label text NOT NULL, wash_price numeric(9,2) NOT NULL, press_price numeric(9,2) NOT NULL);"
    assert rows_of(sql, "garment")["press_price"].astype(float).max() < 1000


@pytest.mark.parametrize(("table", "first"), [("visitors", "arrived_at"), ("deliveries", "left_at"), ("van_trips", "left_at")])
def test_who_visits_leaves_after_arriving_and_what_is_on_its_way_before(table: str, first: str) -> None:
    rows = rows_of(
        f"CREATE TABLE {table} (id integer PRIMARY KEY, who text NOT NULL, left_at text NOT NULL, arrived_at text NOT NULL);",
        table,
    )
    last = "left_at" if first == "arrived_at" else "arrived_at"
    spans = pd.to_datetime(rows[last]) - pd.to_datetime(rows[first])
    assert spans.min() >= pd.Timedelta(0) and spans.max() < pd.Timedelta("3 days")


@pytest.mark.parametrize("name", ["pass_or_fail", "hangerOrFold", "adult_or_child", "name_or_id", "city_or_town", "sensor"])
def test_a_name_of_two_values_holds_either_but_of_two_ways_to_tell_a_row_none(name: str) -> None:
    column = f'"{name}"'
    values = set(rows_of(f"CREATE TABLE visit (id integer PRIMARY KEY, {column} varchar(20) NOT NULL);", "visit")[name])
    both = {"pass_or_fail": {"pass", "fail"}, "hangerOrFold": {"hanger", "fold"}, "adult_or_child": {"adult", "child"}}
    assert values == both[name] if name in both else not values & set(name.split("_"))


@pytest.mark.parametrize(("noun", "share"), [("damages", 0.25), ("complaint", 0.25), ("stops", 4)])
def test_what_comes_now_and_then_has_fewer_rows_than_what_it_comes_to(noun: str, share: float) -> None:
    hires = "CREATE TABLE hire (id integer PRIMARY KEY, boat_id integer NOT NULL REFERENCES boat, out_at timestamp NOT NULL);"
    child = f"CREATE TABLE {noun} (id integer PRIMARY KEY, hire_id integer NOT NULL REFERENCES hire, at timestamp NOT NULL, what text NOT NULL);"
    data = weltigen.read_model(f"CREATE TABLE boat (id integer PRIMARY KEY, name text NOT NULL); {hires} {child}").dataset()
    assert len(data.frame(noun)) == share * len(data.frame("hire")) > 0


@pytest.mark.parametrize(("beside", "persons"), [("phone text NOT NULL", True), ("width_m numeric(5,2) NOT NULL", False)])
def test_who_does_something_and_can_be_reached_is_called_like_somebody(beside: str, persons: bool) -> None:
    names = rows_of(f"CREATE TABLE tuners (id integer PRIMARY KEY, name varchar(80) NOT NULL, {beside});", "tuners")["name"]
    assert not names.str.contains(r"\d").any() if persons else names.str.startswith("Tuner ").all()


@pytest.mark.parametrize(("cheap", "dear"), [("cost_price", "retail_price"), ("unit_cost", "unit_price"), ("lab_cost", "price")])
def test_what_a_thing_costs_rises_with_what_it_is_sold_for(cheap: str, dear: str) -> None:
    money = "numeric(9,2) NOT NULL"
    rows = rows_of(f"CREATE TABLE frame (id integer PRIMARY KEY, {cheap} {money}, {dear} {money});", "frame").astype(float)
    assert (rows[cheap] < rows[dear]).mean() > 0.98 and (rows[cheap] <= rows[dear]).all()
    assert (rows[cheap] / rows[dear]).between(0.25, 0.95).mean() > 0.95


@pytest.mark.parametrize("states", [("ordered", "edging", "ready", "collected"), ("booked", "washing", "drying", "collected")])
def test_a_row_has_come_as_far_as_the_states_before_its_own(states: tuple[str, ...]) -> None:
    """A pair of glasses that is ready was edged, although its state does not say so."""
    first, second, _, last = states
    steps = f"{first}_at timestamp NOT NULL, {second.removesuffix('ing')}ed_at timestamp, {last}_at timestamp"
    listed = ", ".join(f"'{state}'" for state in states)
    sql = f"CREATE TABLE piece_work (id integer PRIMARY KEY, status text NOT NULL CHECK (status IN ({listed})), {steps});"
    rows = rows_of(sql, "piece_work")
    done = rows[f"{second.removesuffix('ing')}ed_at"].notna()
    assert (done == rows["status"].isin(states[1:])).all() and (rows[f"{last}_at"].notna() == (rows["status"] == last)).all()


@pytest.mark.parametrize("noun", ["inspection", "service", "checkup"])
def test_what_is_done_each_year_is_due_after_a_year_or_so(noun: str) -> None:
    rows = rows_of(f"CREATE TABLE {noun} (id integer PRIMARY KEY, done_on date NOT NULL, next_{noun} date NOT NULL);", noun)
    days = (pd.to_datetime(rows[f"next_{noun}"]) - pd.to_datetime(rows["done_on"])).dt.days
    assert (days >= 0).all() and days.median() > 120, days.median()


def test_what_a_wedding_needs_is_due_before_it_and_a_reason_is_told_of_what_is_rare() -> None:
    dates = ", ".join(f"{name} date NOT NULL" for name in ("wedding_date", "deposit_due", "balance_due", "design_signed_off"))
    flags = "called_off boolean NOT NULL, early_return boolean NOT NULL, early_return_reason text"
    rows = rows_of(f"CREATE TABLE cake (id integer PRIMARY KEY, {dates}, {flags});", "cake")
    days = rows[["deposit_due", "balance_due", "design_signed_off"]].apply(pd.to_datetime)
    assert days.le(pd.to_datetime(rows["wedding_date"]), axis=0).all().all()
    assert 0.02 < rows["early_return"].mean() < 0.25


@pytest.mark.parametrize(
    ("name", "low", "high"), [("places_per_year", 0, 400), ("visits_per_month", 0, 2000), ("tuition_per_term", 100, 12_000)]
)
def test_what_is_told_for_each_year_is_no_year(name: str, low: int, high: int) -> None:
    rows = rows_of(f"CREATE TABLE partner (id integer PRIMARY KEY, {name} integer NOT NULL);", "partner")
    assert rows[name].between(low, high).all() and not rows[name].between(2015, 2030).all()


@pytest.mark.parametrize(("who", "most"), [("child", 0.7), ("senior", 0.9), ("student", 0.9)])
def test_who_pays_less_pays_a_part_and_who_drives_comes_back_with_more_behind_them(who: str, most: float) -> None:
    sql = f"price_adult numeric(7,2) NOT NULL, price_{who} numeric(7,2) NOT NULL, odo_out integer NOT NULL, odo_back integer NOT NULL"
    rows = rows_of(f"CREATE TABLE outing (id integer PRIMARY KEY, {sql});", "outing").astype(float)
    assert ((rows[f"price_{who}"] / rows["price_adult"]) < most).mean() > 0.9
    assert (rows["odo_back"] - rows["odo_out"]).between(1, 400).all()


@pytest.mark.parametrize(("first", "last"), [("alter_von", "alter_bis"), ("edad_desde", "edad_hasta"), ("age_from", "age_until")])
def test_a_range_ends_where_it_began_or_above(first: str, last: str) -> None:
    rows = rows_of(f"CREATE TABLE wish (id integer PRIMARY KEY, {first} integer NOT NULL, {last} integer NOT NULL);", "wish")
    assert (rows[first] <= rows[last]).all() and rows[last].max() < 120


@pytest.mark.parametrize(("came", "went"), [("wet_in", "dry_out"), ("input", "output"), ("loaded", "unloaded")])
@pytest.mark.parametrize("unit", ["kg", "litres"])
def test_no_more_comes_out_of_a_run_than_went_in(came: str, went: str, unit: str) -> None:
    rows = rows_of(
        f"CREATE TABLE smoking_run (id integer PRIMARY KEY, {went}_{unit} numeric(8,1), {came}_{unit} numeric(8,1));",
        "smoking_run",
    )
    both = rows[[f"{came}_{unit}", f"{went}_{unit}"]].dropna().astype(float)
    assert len(both) > 100 and (both[f"{went}_{unit}"] <= both[f"{came}_{unit}"]).all()


@pytest.mark.parametrize("noun", ["buyer", "customer", "client", "distributor"])
@pytest.mark.parametrize("spoken_to", ["contact", "contact_name", "contact_person"])
def test_a_firm_is_written_to_at_the_address_of_the_person_to_speak_to(noun: str, spoken_to: str) -> None:
    person = f"{spoken_to} varchar(80), email varchar(120)"
    sql = f"CREATE TABLE {noun} (id integer PRIMARY KEY, name varchar(80) NOT NULL, sector varchar(30), {person});"
    both = rows_of(sql, noun)[["name", spoken_to, "email"]].dropna()
    first = both[spoken_to].str.split().str[0].str.lower()
    assert len(both) > 100 and sum(a in b for a, b in zip(first, both["email"], strict=True)) > 0.9 * len(both)
    assert (both["name"] != both[spoken_to]).all()


@pytest.mark.parametrize("noun", ["mooring", "season_pass", "lease"])
@pytest.mark.parametrize("until", ["expires", "licence_expires_on", "valid_until", "warranty_ends", "lease_expiry"])
def test_most_of_what_runs_out_has_not_yet(noun: str, until: str) -> None:
    rows = rows_of(f"CREATE TABLE {noun} (id integer PRIMARY KEY, {until} date NOT NULL);", noun)
    assert 0.6 < (pd.to_datetime(rows[until]) > "2026-01-01").mean() < 0.95
