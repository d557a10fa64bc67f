"""What holds of tables of any application: who did what and when, what things are called, what adds up."""

import re
from collections.abc import Iterator
from importlib.resources import files

import pandas as pd
import pytest

import weltigen


def frames(sql: str, seed: int = 6, **rows: int) -> dict[str, pd.DataFrame]:
    dataset = weltigen.read_model(sql).dataset(rows=rows, seed=seed)
    return {name: dataset.frame(name) for name in dataset.counts}


KEEPERS = "CREATE TABLE keeper (id serial PRIMARY KEY, name varchar(80) NOT NULL, merged_into_id integer REFERENCES keeper(id));"


def test_who_did_it_is_named_where_it_was_done() -> None:
    rows = frames(
        KEEPERS + "CREATE TABLE notice (id serial PRIMARY KEY, keeper_id integer NOT NULL REFERENCES keeper(id), created_at timestamp NOT NULL,"
        " approved_at timestamp, approved_by_id integer REFERENCES keeper(id), action_taken_at timestamp,"
        " action_taken_by_keeper_id integer REFERENCES keeper(id), locked_at timestamp, locked_by integer REFERENCES keeper(id),"
        " is_fork boolean NOT NULL, fork_id integer REFERENCES notice(id), is_closed boolean NOT NULL, closed_unix bigint,"
        " reset_token varchar(60), reset_sent_at timestamp, cancelled_by varchar(60))",
        notice=600,
    )  # fmt: skip
    notices = rows["notice"]
    for done, who in (("approved_at", "approved_by_id"), ("action_taken_at", "action_taken_by_keeper_id"), ("locked_at", "locked_by"),
                      ("reset_token", "reset_sent_at")):  # fmt: skip
        assert (notices[done].isna() == notices[who].isna()).all() and notices[done].notna().any()
    assert (
        notices.loc[~notices["is_fork"], "fork_id"].isna().all()
        and notices.loc[~notices["is_closed"], "closed_unix"].isna().all()
    )
    assert notices["locked_at"].notna().mean() < 0.2 and notices["cancelled_by"].notna().mean() < 0.15
    assert 0 < rows["keeper"]["merged_into_id"].notna().mean() < 0.2


@pytest.mark.parametrize("seed", range(3))
def test_what_a_row_tells_of_comes_after_it(seed: int) -> None:
    rows = frames(
        "CREATE TABLE complaint (id serial PRIMARY KEY, created_at timestamp NOT NULL, updated_at timestamp NOT NULL,"
        " action_taken_at timestamp, waiting_since timestamp, requested_review_at timestamp, reviewed_at timestamp,"
        " last_sign_in_at timestamp, current_sign_in_at timestamp);"
        "CREATE TABLE mirror (id serial PRIMARY KEY, create_time timestamp NOT NULL, update_time timestamp NOT NULL, next_update timestamp);"
        "CREATE TABLE gathering (id serial PRIMARY KEY, created_dt timestamp NOT NULL, start_dt timestamp NOT NULL);"
        "CREATE TABLE bill (id serial PRIMARY KEY, due_on date NOT NULL, paid_on date)",
        seed=seed,
    )  # fmt: skip
    told = rows["complaint"]
    for later, earlier in (("action_taken_at", "created_at"), ("waiting_since", "created_at"), ("reviewed_at", "requested_review_at"),
                           ("current_sign_in_at", "last_sign_in_at"), ("updated_at", "created_at")):  # fmt: skip
        both = told.dropna(subset=[later, earlier])
        assert len(both) > 20 and (both[later] >= both[earlier]).all(), (later, earlier)
    mirrors = rows["mirror"].dropna()
    assert (mirrors["update_time"] >= mirrors["create_time"]).all() and (mirrors["next_update"] >= mirrors["update_time"]).all()
    held = rows["gathering"]
    assert (held["created_dt"] <= held["start_dt"]).all() and (held["created_dt"] > "2026-01-02").mean() < 0.03
    paid = pd.to_datetime(rows["bill"]["paid_on"]).dropna()
    assert (paid <= "2026-01-02").all()


def lines_called() -> Iterator[tuple[str, str]]:
    """Of each line what it gives, and its first noun; but for those that ask for a trade."""
    text = (files("weltigen.infer") / "concepts" / "called.txt").read_text("utf-8")
    for line in text.splitlines():
        if line and not line.startswith("#"):
            nouns, _, rest = line.partition(" : ")
            form, *options = rest.split(" ; ")
            if not any(option.startswith("in=") for option in options):
                yield form, nouns.split(", ")[0]


@pytest.mark.parametrize(("form", "noun"), list(lines_called()))
def test_rows_are_called_by_the_noun_of_their_entity(form: str, noun: str) -> None:
    table = noun.replace(" ", "_")
    rows = frames(
        f"CREATE TABLE {table} (id serial PRIMARY KEY, name varchar(120) NOT NULL, is_active boolean);"
        f"CREATE TABLE lodger (id serial PRIMARY KEY, {table}_id integer REFERENCES {table}(id), surname varchar(60) NOT NULL)"
    )
    names, (how, _, said) = rows[table]["name"], form.partition(" ")
    if how == "words":
        assert set(names) <= set(said.split(" | ")) and names.is_unique  # as many rows as there are names
    elif how == "pattern":
        assert names.map(lambda name: re.fullmatch(said, name) is not None).all() and names.nunique() > 3
    else:
        assert names.nunique() > 5 and names.str.len().min() > 2


def test_what_is_sold_adds_up() -> None:
    rows = frames(
        "CREATE TABLE kiosk_article (id serial PRIMARY KEY, name varchar(80) NOT NULL, price numeric(8,2) NOT NULL, original_price numeric(8,2));"
        "CREATE TABLE sale (id serial PRIMARY KEY, status varchar(20) NOT NULL DEFAULT 'pending', subtotal numeric(10,2), tax numeric(10,2),"
        " shipping_fee numeric(8,2), discount numeric(8,2), total numeric(10,2) NOT NULL, placed_at timestamp NOT NULL, paid_at timestamp,"
        " shipped_at timestamp, delivered_at timestamp, cancelled_at timestamp);"
        "CREATE TABLE sale_line (id serial PRIMARY KEY, sale_id integer NOT NULL REFERENCES sale(id), article_id integer NOT NULL"
        " REFERENCES kiosk_article(id), quantity integer NOT NULL, unit_price numeric(8,2) NOT NULL, line_total numeric(10,2) NOT NULL);"
        "CREATE TABLE sale_payment (id serial PRIMARY KEY, sale_id integer NOT NULL REFERENCES sale(id), amount numeric(10,2) NOT NULL)",
        sale=300,
    )  # fmt: skip
    sales, lines, articles = rows["sale"], rows["sale_line"], rows["kiosk_article"].set_index("id")
    money = sales[["subtotal", "tax", "shipping_fee", "discount", "total"]].astype(float).fillna(0)
    assert (money["subtotal"] + money["tax"] + money["shipping_fee"] - money["discount"] - money["total"]).abs().max() < 0.011
    assert (lines["unit_price"] == lines["article_id"].map(articles["price"])).all() and (lines["quantity"] < 4).mean() > 0.7
    lowered = articles.dropna(subset="original_price")
    assert (lowered["original_price"] > lowered["price"]).all() and 0 < len(lowered) < len(articles) / 2
    paid = rows["sale_payment"]
    assert len(paid) == len(sales) and (paid["amount"] == paid["sale_id"].map(sales.set_index("id")["total"])).all()
    assert 0 < (sales["status"] == "pending").mean() < 0.5 and (sales["status"] == "delivered").mean() > 0.2
    assert sales.loc[sales["status"] == "pending", ["shipped_at", "delivered_at", "cancelled_at"]].isna().all(axis=None)
    assert sales.loc[sales["status"] == "cancelled", "delivered_at"].isna().all()
    assert ((sales["paid_at"] - sales["placed_at"]).dropna() < pd.Timedelta("3 hours")).all()


@pytest.mark.parametrize("unit", ["", "_kwh", "_m3"])
def test_a_meter_goes_on_by_what_was_used(unit: str) -> None:
    rows = frames(
        f"CREATE TABLE gauge_reading (id serial PRIMARY KEY, previous_reading{unit} integer NOT NULL, current_reading{unit} integer NOT NULL,"
        f" consumption{unit} integer NOT NULL)"
    )["gauge_reading"]
    assert (rows[f"previous_reading{unit}"] + rows[f"consumption{unit}"] == rows[f"current_reading{unit}"]).all()
    assert rows[f"consumption{unit}"].between(1, 3000).all()


def test_lists_repeat_nothing_and_persons_in_them_are_several() -> None:
    rows = frames(
        "CREATE TABLE guide (id serial PRIMARY KEY, languages text[] NOT NULL, tags jsonb NOT NULL, cc_emails text[] NOT NULL, permissions jsonb NOT NULL)",
        guide=300,
    )["guide"]
    for name in ("languages", "cc_emails"):
        assert all(len(set(one)) == len(one) for one in rows[name]) and any(len(one) > 1 for one in rows[name])


def test_a_model_is_of_the_language_of_its_things() -> None:
    """Many name their fields in English and their tables in their own language."""
    world = weltigen.read_model(
        "CREATE TABLE locataire (id serial PRIMARY KEY, nom varchar(60), prenom varchar(60), created_at timestamp, updated_at timestamp, status varchar(20));"
        "CREATE TABLE batiment (id serial PRIMARY KEY, adresse varchar(90), is_active boolean, created_at timestamp, sort_order integer);"
        "CREATE TABLE facture (id serial PRIMARY KEY, locataire_id integer REFERENCES locataire(id), due_date date, paid_at timestamp, total numeric(8,2));"
        "CREATE TABLE reparation (id serial PRIMARY KEY, batiment_id integer REFERENCES batiment(id), description text, started_at timestamp, uuid uuid)"
    )
    assert world.declared.language == "fr-FR"


def test_what_stands_in_any_application_says_nothing_of_a_trade() -> None:
    """Users and what is sold are no programs; tables that link others are no clubs, what has a room is none."""
    world = weltigen.read_model(
        "CREATE TABLE users (id serial PRIMARY KEY, email varchar(90) NOT NULL, password varchar(90));"
        "CREATE TABLE merchandise (id serial PRIMARY KEY, name varchar(90) NOT NULL, price numeric(8,2));"
        "CREATE TABLE article_tag_association (id serial PRIMARY KEY, article_id integer NOT NULL REFERENCES merchandise(id),"
        " user_id integer NOT NULL REFERENCES users(id), note text)"
    ).declared
    topics = {entity.name: entity.topic for entity in world.entities}
    assert topics["merchandise"] == "products" and topics["article_tag_association"] != "clubs"
    numbered = frames(
        "CREATE TABLE grove (id serial PRIMARY KEY, name varchar(60) NOT NULL); CREATE TABLE felling (id serial PRIMARY KEY,"
        " grove_id integer NOT NULL REFERENCES grove(id), number integer NOT NULL, ud1 varchar(80), ud2 varchar(80), UNIQUE (grove_id, number))"
    )["felling"]
    assert numbered["number"].max() <= 60 and numbered["ud1"].dropna().str.len().max() < 12
