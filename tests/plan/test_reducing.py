"""Unique indexes of any form: what they are brought down to, and that rows keep them."""

from __future__ import annotations

import sqlite3
from pathlib import Path

import pandas as pd
import pytest

import weltigen
from weltigen.planning.knowledge.reducing import reduce_rules

TABLE = """CREATE TABLE buoy (
    buoy_id integer PRIMARY KEY, name varchar(20) NOT NULL, light varchar(6), mark char(4) NOT NULL, laid_at timestamp NOT NULL, laid_on date NOT NULL,
    depth integer CHECK (depth BETWEEN 1 AND 900), drift numeric(6, 2), lit boolean NOT NULL, state varchar(5) NOT NULL CHECK (state IN ('in', 'out', 'lost'))
);
"""
# the index; the columns it is brought down to, or None; how texts and moments are compared; whether null is a value
INDEXES = [
    ("(lower(name))", ("name",), {"name"}, {}, True), ("(UPPER(mark), lit)", ("lit", "mark"), {"mark"}, {}, True),
    ("(lower(trim(name)))", ("name",), {"name"}, {}, True), ("((laid_at::date))", ("laid_at",), set(), {"laid_at": 86_400}, True),
    ("(date_trunc('hour', laid_at), state)", ("state", "laid_at"), set(), {"laid_at": 3_600}, True),
    ("(date_trunc('week', laid_on))", ("laid_on",), set(), {"laid_on": 604_800}, True), ("(md5(name))", ("name",), set(), {}, True),
    ("(coalesce(depth, 0))", ("depth",), set(), {}, False), ("(coalesce(depth, 5))", ("depth",), set(), {}, True),
    ("(depth) NULLS NOT DISTINCT", ("depth",), set(), {}, False), ("(lower(light)) WHERE lit", ("light",), {"light"}, {}, True),
    ("(left(name, 2))", None, set(), {}, True), ("((name || mark))", None, set(), {}, True), ("(date_trunc('hour', laid_on))", None, set(), {}, True),
    ("(date_trunc('month', laid_at))", None, set(), {}, True), ("((depth + drift))", None, set(), {}, True),
]  # fmt: skip


@pytest.mark.parametrize(("index", "columns", "folded", "rounded", "distinct"), INDEXES, ids=[index for index, *_ in INDEXES])
def test_an_index_is_brought_down_to_columns_and_kept(
    index: str, columns: tuple[str, ...] | None, folded: set[str], rounded: dict[str, int], distinct: bool, tmp_path: Path
) -> None:  # fmt: skip
    world = weltigen.read_model(f"{TABLE}CREATE UNIQUE INDEX one ON buoy {index};\n", dialect="postgresql")
    (rule,) = [rule for rule in (*world.entity("buoy").uniques,) if rule.name == "one"]
    found, said = reduce_rules(world.entity("buoy"))
    if columns is None:
        assert not found and len(said) == 1 and "not a function of one field" in said[0] and said[0].startswith(f"buoy: {rule}")
        return
    if rule.expressions or rule.where:
        (reduced,) = found
        assert (set(reduced.rule.columns), set(reduced.folded), dict(reduced.rounded)) == (set(columns), folded, rounded)
        assert (reduced.rule.nulls_distinct, str(reduced.rule), reduced.where) == (distinct, str(rule), rule.where)
        assert bool(reduced.always) == ("5)" in index)
    dataset = world.dataset(rows={"buoy": 24})  # 26 weeks have as many days to lie in
    assert dataset.plan.notes == ()
    dataset.write(tmp_path / "out.sqlite")
    report = weltigen.audit(world, tmp_path / "out.sqlite")
    assert list(map(str, report)) == []
    depth = dataset.frame("buoy")["depth"]
    assert "depth" not in index or depth.isna().sum() <= (0 if "5)" in index else 1)


def test_of_rows_that_agree_one_keeps_the_condition_and_no_more(tmp_path: Path) -> None:
    sql = (
        TABLE
        + """CREATE TABLE visit (visit_id integer PRIMARY KEY, buoy_id integer NOT NULL REFERENCES buoy, crew integer NOT NULL CHECK (crew BETWEEN 1 AND 3),
        main boolean NOT NULL, state varchar(5) NOT NULL CHECK (state IN ('open', 'done', 'void')), ended_at timestamp);
    CREATE UNIQUE INDEX one_main ON visit (buoy_id) WHERE main;
    CREATE UNIQUE INDEX one_open ON visit (buoy_id) WHERE ended_at IS NULL;
    CREATE UNIQUE INDEX one_state ON visit (buoy_id, crew) WHERE state IN ('open', 'void');
    """
    )
    (tmp_path / "model.sql").write_text(sql)
    for rows in ("{per: buoy, mean: 6, most: 20}", "300"):  # rows of an owner, and rows that pick theirs
        (tmp_path / "world.yaml").write_text(
            f"weltigen: 3\nmodel: model.sql\nentities: {{buoy: {{rows: 40}}, visit: {{rows: {rows}}}}}\n"
        )
        world = weltigen.open_world(tmp_path / "world.yaml")
        dataset = world.dataset()
        visit = dataset.frame("visit")
        by = visit.groupby("buoy_id")
        assert dataset.plan.notes == () and by.size().max() > 4
        assert (by["main"].sum() == 1).all() and (by["ended_at"].apply(lambda at: at.isna().sum()) == 1).all()
        shut = visit[visit["state"] != "done"]
        assert not shut.duplicated(["buoy_id", "crew"]).any() and len(shut) > 30
        target = tmp_path / f"{len(rows)}.sqlite"
        dataset.write(target)
        with sqlite3.connect(target) as connection:  # it keeps the indexes itself
            kept = connection.execute("SELECT count(*) FROM sqlite_master WHERE sql LIKE '%UNIQUE INDEX%WHERE%'").fetchone()
        connection.close()
        assert kept == (3,) and list(map(str, weltigen.audit(world, target))) == []


def test_what_real_models_declare_is_kept(tmp_path: Path) -> None:
    """Rules over rows that a reference decides, keys over the beginning of texts, lengths of time, ways of being there in turn,
    checks that no null passes, keys that two lookups share."""
    world = weltigen.read_model(
        "CREATE TABLE kind (id integer PRIMARY KEY, label text); INSERT INTO kind VALUES (1, 'a'), (2, 'b'), (3, 'c');"
        "CREATE TABLE buoy (id integer PRIMARY KEY); CREATE TABLE crew (id integer PRIMARY KEY);"
        "CREATE TABLE watch (buoy_id integer REFERENCES buoy, kind integer REFERENCES kind, crew_id integer REFERENCES crew,"
        " PRIMARY KEY (buoy_id, crew_id, kind)); CREATE UNIQUE INDEX first_watch ON watch (crew_id) WHERE kind = 1;"
        "CREATE TABLE signal (id integer PRIMARY KEY, crew_id integer REFERENCES crew, horn text, flag text, seen date, note text,"
        " least interval NOT NULL CHECK (least < interval '2 hours'), most interval NOT NULL CHECK (most >= least),"
        " CHECK (trim(coalesce(note, '')) <> ''),"
        " CHECK ((crew_id IS NOT NULL AND horn IS NULL AND flag IS NULL) OR (crew_id IS NULL AND horn IS NOT NULL AND flag IS NULL)"
        "  OR (crew_id IS NULL AND horn IS NULL AND flag IS NOT NULL AND seen IS NOT NULL)));"
    )
    rows = world.dataset(rows={"watch": 40, "signal": 300})
    watch, signal = rows.frame("watch"), rows.frame("signal")
    assert not watch[watch["kind"] == 1]["crew_id"].duplicated().any() and len(watch[watch["kind"] == 1]) > 3
    assert (signal[["crew_id", "horn", "flag"]].notna().sum(axis=1) == 1).all() and (
        signal["seen"].notna() >= signal["flag"].notna()
    ).all()
    assert all(signal[name].notna().any() for name in ("crew_id", "horn", "flag")) and signal["note"].str.strip().ne("").all()
    least, most = (signal[name].map(pd.Timedelta) for name in ("least", "most"))
    assert (least < pd.Timedelta(hours=2)).all() and (most >= least).all()
    rows.write(tmp_path / "out")
    assert not weltigen.audit(world, tmp_path / "out")
    mysql = "CREATE TABLE log (path longtext NOT NULL, line text NOT NULL, PRIMARY KEY (path(40), line(20))) ENGINE=InnoDB;"
    logs = weltigen.read_model(mysql).dataset(rows={"log": 500}).frame("log")
    assert not logs.assign(path=logs["path"].str[:40], line=logs["line"].str[:20]).duplicated().any()
