"""Words of one trade, and the sizes of things: each line that declares some is asked for in a bare model of its own."""

from __future__ import annotations

import re
from functools import lru_cache
from itertools import islice

import pandas as pd
import pytest

import weltigen
from weltigen.infer.concepts import Concept
from weltigen.infer.concepts.trades import by_word, trades
from weltigen.infer.naming import words_of
from weltigen.infer.nouns import SYSTEMS
from weltigen.infer.offers import read_pairs
from weltigen.infer.sizes import things
from weltigen.infer.trading import trades_of
from weltigen.infer.vocabularies import vocabulary_of
from weltigen.model import TypeName
from weltigen.values.species import species
from weltigen.values.vocabulary import NEUTRAL, topic

TYPES = {TypeName.TEXT: "text", TypeName.DOUBLE: "double precision", TypeName.INTEGER: "integer", TypeName.SMALLINT: "smallint",
         TypeName.BOOLEAN: "boolean", TypeName.TIME: "time"}  # fmt: skip


@lru_cache(maxsize=1)
def declared() -> dict[str, list[tuple[str, Concept]]]:
    """By trade, a column for every one of its concepts, by a name that only this one has."""
    found: dict[str, list[tuple[str, Concept]]] = {}
    for trade, told in trades().items():
        names: dict[Concept, str] = {}
        for words, concepts in told.concepts.items():
            if len(concepts) == 1 and len(words) > 1 and all(word.isalpha() for word in words):
                names.setdefault(concepts[0], "_".join(words))
        found[trade] = [(name, concept) for concept, name in names.items()]
    return found


def holds(values: pd.Series, concept: Concept) -> bool:
    match concept.what, concept.arguments:
        case "words", arguments:
            told = {value for value, _ in read_pairs(arguments)}
            return set(values) <= told | {float(one) for one in told if re.fullmatch(r"-?\d+(\.\d+)?", one)}
        case "num", arguments:
            low, high = map(float, arguments.split()[:2])
            return bool(values.astype(float).between(int(low), high).all())
        case "pattern", arguments:
            return bool(values.astype(str).str.fullmatch(arguments).all())
    return True


@pytest.mark.parametrize("trade", sorted(trades()))
def test_a_trades_words_mean_in_it_what_they_say(trade: str) -> None:
    """Of the lines of a trade nine in ten at least are what a column of their name holds, but where another guess is as sure."""
    noun = sorted(word for word in trades()[trade].telling if word.isalpha())[0]
    columns = [
        (name, f"varchar({one.room})" if one.room else next(sql for kind, sql in TYPES.items() if kind in one.types), one)
        for name, one in declared()[trade] if any(kind in one.types for kind in TYPES)
    ]  # fmt: skip
    sql = f"CREATE TABLE {noun} (id integer PRIMARY KEY, {', '.join(f'{name} {kind} NOT NULL' for name, kind, _ in columns)})"
    world = weltigen.read_model(sql)
    rows, entity = world.dataset(rows={noun: 60}).frame(noun), world.declared.entity(noun)
    less_sure = [one for one in columns if (guess := entity.field(one[0]).guess) is None or guess.confidence <= 0.96]
    missed = [name for name, _, one in less_sure if not holds(rows[name], one)]
    assert len(columns) > 3 and len(missed) <= max(1, len(columns) // 10), missed


@pytest.mark.parametrize("at", range(6))
def test_a_measure_is_of_the_size_of_its_thing_in_every_unit(at: int) -> None:
    units = {"length": (("m", 1), ("cm", 100), ("ft", 3.281)), "weight": (("kg", 1), ("g", 1000)), "price": (("", 1),)}
    trading = {word for trade in trades().values() for word in (*trade.telling, *trade.others)}  # whose trade may say otherwise
    asked = [(noun, measures) for noun, measures in things().items() if len(noun) == 1 and noun[0] not in trading]
    for (noun, *_), measures in islice(asked, at, None, 24):
        told = [(measure, unit, times) for measure in measures if measure in units for unit, times in units[measure]]
        columns = ", ".join(f"{f'{measure}_{unit}'.strip('_')} double precision NOT NULL" for measure, unit, _ in told)
        if not columns:
            continue
        world = weltigen.read_model(f"CREATE TABLE {noun} (id integer PRIMARY KEY, {columns})")
        if topic(world.declared.entity(noun).topic or NEUTRAL).within(*SYSTEMS, "telephony"):
            continue  # where a phone or a server is no thing to weigh
        rows = world.dataset(rows={noun: 200}).frame(noun)
        for measure, unit, times in told:
            low, high = (end * times for end in measures[measure])
            if high <= 20_000 or unit == "g":  # what is larger is told in no such small unit
                assert rows[f"{measure}_{unit}".strip("_")].between(low * 0.98, high * 1.02).all(), (noun, measure, unit)


def test_words_of_a_trade_mean_nothing_in_another_nor_in_systems() -> None:
    shade = "shade varchar(20) NOT NULL, tooth_number smallint NOT NULL"
    crown = weltigen.read_model(f"CREATE TABLE dentist_visit (id integer PRIMARY KEY, {shade})").dataset().frame("dentist_visit")
    paint = weltigen.read_model(f"CREATE TABLE wall_paint (id integer PRIMARY KEY, {shade})").dataset().frame("wall_paint")
    assert crown["shade"].str.fullmatch(r"[A-D][1-4](\.5)?").all() and not paint["shade"].str.fullmatch(r"[A-D][1-4](\.5)?").any()
    hosts = "CREATE TABLE hosts (id integer PRIMARY KEY, ip varchar(40), os varchar(20)); CREATE TABLE server (id integer PRIMARY KEY, port integer);"
    sessions = "CREATE TABLE vpn_sessions (id integer PRIMARY KEY, host_id integer REFERENCES hosts, session_key varchar(64) NOT NULL, grade text)"
    keys = weltigen.read_model(hosts + sessions).dataset().frame("vpn_sessions")["session_key"]
    assert not keys.str.contains("major|minor").any()


def test_a_trade_is_told_by_its_noun_in_any_spelling_which_hides_no_words_of_fields() -> None:
    """`check_command` and `checkcommand` are one noun, and a field `db_name` is a name in each of its spellings as well."""
    hosts = "CREATE TABLE server (id integer PRIMARY KEY, ip varchar(40) NOT NULL, port integer NOT NULL);"
    for noun in ("service_check", "servicecheck", "tbl_service_check"):
        sql = f"CREATE TABLE {noun} (id integer PRIMARY KEY, plugin_output text NOT NULL, dbname text NOT NULL, homedir text NOT NULL)"
        rows = weltigen.read_model(hosts + sql).dataset().frame(noun)
        assert rows["plugin_output"].str.contains(" - |HTTP OK").all() and rows["homedir"].str.startswith("/").all(), noun
        assert rows["dbname"].str.fullmatch("[a-z]+").all() and rows["dbname"].nunique() < 9, noun


@pytest.mark.parametrize("at", range(4))
def test_every_noun_that_tells_of_a_trade_does_so_written_together_and_apart(at: int) -> None:
    """Of nouns that are two words nineteen in twenty mean the same in all spellings; a plural is known by its singular."""
    known = frozenset(word for trade in trades().values() for word in (*trade.telling, *trade.others))
    cut = {
        f"{word[:end]}_{word[end:]}": word
        for trade in trades().values() for word in trade.telling for end in range(4, len(word) - 3)
        if word[:end] in known and word[end:] in known
    }  # fmt: skip
    asked = sorted(cut.items())[at::4]
    missed = []
    for apart, together in asked:
        tables = (f"CREATE TABLE {name} (id integer PRIMARY KEY, note text)" for name in (apart, together, f"{apart}s"))
        worlds = [weltigen.read_model(sql, dialect="postgresql").declared for sql in tables]
        told = [{name for name, _ in trades_of(world, vocabulary_of(world))[world.entities[0].name]} for world in worlds]
        missed += [apart] if not told[1] or not told[0] >= told[1] or not told[2] >= told[1] else []
    assert len(asked) > 10 and len(missed) <= -(-len(asked) // 20), missed


def test_an_organ_of_a_church_is_an_instrument_and_its_faults_are_told_as_such() -> None:
    """Whose keys have an action that nobody logs, which a builder made that is no site, and which has the temperature of its room."""
    church = "CREATE TABLE church (id integer PRIMARY KEY, name text); CREATE TABLE organ (id integer PRIMARY KEY, key_action text NOT NULL,"
    organ = f"{church} builder varchar(80) NOT NULL, church_id integer NOT NULL REFERENCES church);"
    parts = "id integer PRIMARY KEY, organ_id integer NOT NULL REFERENCES organ"
    faults = f"CREATE TABLE fault ({parts}, description text NOT NULL); CREATE TABLE tuning ({parts}, temperature_c numeric(4,1) NOT NULL)"
    world = weltigen.read_model(organ + faults)
    data = world.dataset()
    assert (
        data.frame("organ")["key_action"].str.contains("mechanical").any() and (data.frame("tuning")["temperature_c"] < 30).all()
    )
    assert not data.frame("organ")["builder"].str.contains("roof|hall|bridge", case=False).any()
    assert dict(world.declared.entity("fault").field("description").source.parameters) == {"purpose": "issue"}


def test_what_nothing_is_known_of_is_told_by_how_it_is() -> None:
    sql = "CREATE TABLE ritual (id integer PRIMARY KEY, scrub varchar(40) NOT NULL, tested_on text NOT NULL, would_repeat integer NOT NULL)"
    rows = weltigen.read_model(sql, dialect="sqlite").dataset(rows={"ritual": 200}).frame("ritual")
    assert rows["scrub"].str.endswith(" scrub").all() and 3 < rows["scrub"].nunique() < 12
    assert pd.to_datetime(rows["tested_on"], format="%Y-%m-%d").notna().all() and set(rows["would_repeat"]) == {0, 1}


def test_who_built_a_thing_what_must_be_done_to_it_and_what_was_recorded() -> None:
    sql = """CREATE TABLE tramcars (id integer PRIMARY KEY, builder varchar(60) NOT NULL, class varchar(20) NOT NULL, length_mm integer NOT NULL);
      CREATE TABLE rail_checks (id integer PRIMARY KEY, tramcar_id integer NOT NULL REFERENCES tramcars, action_required varchar(200) NOT NULL, joint_gap_mm numeric(4,1) NOT NULL);
      CREATE TABLE bat_recordings (id integer PRIMARY KEY, file_nm varchar(80) NOT NULL, auto_conf numeric(3,2) NOT NULL, sci_nm varchar(60) NOT NULL)"""
    data = weltigen.read_model(sql).dataset()
    cars, checks, heard = data.frame("tramcars"), data.frame("rail_checks"), data.frame("bat_recordings")
    assert (
        set(cars["class"]) <= set("ABCD")
        and cars["length_mm"].between(17_000, 55_000).all()
        and not cars["builder"].str.contains(r"\bhall|barrier").any()
    )
    assert (
        not checks["action_required"].isin(["create", "update", "view", "delete"]).any() and (checks["joint_gap_mm"] <= 18).all()
    )
    assert (
        heard["file_nm"].str.endswith(".wav").all()
        and heard["auto_conf"].between(0.2, 1).all()
        and heard["sci_nm"].str.fullmatch("[A-Z][a-z]+ [a-z-]+").all()
    )


def test_what_a_judge_says_is_no_judge_and_aftercare_no_washing() -> None:
    people = ("judge", "teacher", "manager", "coach", "driver", "doctor")
    said = [f"{who}_{what}" for who in people for what in ("comment", "remark", "feedback")]
    columns = ", ".join(f"{name} text NOT NULL" for name in (*said, "aftercare", "judge"))
    world = weltigen.read_model(
        f"CREATE TABLE show_entries (id integer PRIMARY KEY, persistent_comment smallint DEFAULT 0, {columns})"
    )
    rows = world.dataset().frame("show_entries")
    assert all(rows[name].str.endswith((".", "?", "!")).all() for name in (*said, "aftercare")) and set(
        rows["persistent_comment"].dropna()
    ) <= {0, 1}
    assert rows["judge"].str.fullmatch(r"\D+ \D+").all() and not rows["aftercare"].str.contains("wash 30|dry clean").any()


def test_what_is_counted_lent_and_weighed_in_short_names_and_in_spanish() -> None:
    sql = """CREATE TABLE crew_shift (id integer PRIMARY KEY, crew_name varchar(40) NOT NULL, stopsvisited smallint NOT NULL, hydrants_visited smallint NOT NULL, done smallint NOT NULL);
      CREATE TABLE itm (id integer PRIMARY KEY, ttl varchar(80) NOT NULL, auth_nm varchar(60) NOT NULL, fmt varchar(20) NOT NULL, barcd varchar(14) NOT NULL);
      CREATE TABLE ln (id integer PRIMARY KEY, itm_id integer NOT NULL REFERENCES itm, due_dt date NOT NULL, rtn_dt date, fine_amt numeric(5,2) NOT NULL, pcode varchar(10) NOT NULL)"""
    data = weltigen.read_model(sql).dataset()
    shifts, items, loans = data.frame("crew_shift"), data.frame("itm"), data.frame("ln")
    assert (
        shifts["stopsvisited"].nunique() > 5
        and shifts["hydrants_visited"].nunique() > 5
        and shifts["crew_name"].str.contains("watch").all()
    )
    assert items["auth_nm"].str.fullmatch(r"\D+ \D+").all() and not items["fmt"].isin(["json", "csv"]).any()
    assert (loans["fine_amt"] <= 12).all() and loans["pcode"].str.contains(r"\d").all()
    sql = "CREATE TABLE entrega (id integer PRIMARY KEY, fecha date, peso_bruto_kg integer NOT NULL, tara_kg integer NOT NULL, peso_neto_kg integer, acidez_pct numeric(3,2) NOT NULL, observaciones text)"
    rows = weltigen.read_model(sql).dataset().frame("entrega")
    net = rows["peso_neto_kg"].notna()
    assert (
        (rows["peso_bruto_kg"] - rows["tara_kg"] == rows["peso_neto_kg"])[net].all()
        and net.sum() > 50
        and (rows["acidez_pct"] < 3).all()
    )


LANGUAGES = {"de": ("gewicht_kg", "name text, bemerkung text, anrede text, geaendert_am timestamp, strasse text"),
             "fr": ("poids_kg", "nom text, remarque text, civilite text, modifie_le timestamp, adresse text"),
             "es": ("peso_kg", "nombre text, observaciones text, tratamiento text, modificado_en timestamp, direccion text")}  # fmt: skip


@pytest.mark.parametrize("language", LANGUAGES)
def test_a_thing_has_its_size_in_any_language(language: str) -> None:
    """Nouns that stand for a thing whose weight is known; one in twenty may mean something else as well."""
    weight, beside = LANGUAGES[language]
    nouns = {
        word: meant for word, meant in sorted(words_of(language).items())
        if meant in things() and "weight" in things()[meant] and word.isalpha() and meant[0] not in by_word()[0]
    }  # fmt: skip
    missed = []
    for noun, meant in islice(nouns.items(), 0, None, 3):
        sql = f"CREATE TABLE {noun} (id integer PRIMARY KEY, {weight} double precision NOT NULL, {beside})"
        world = weltigen.read_model(sql, dialect="postgresql")
        low, high = things()[meant]["weight"]
        if topic(world.declared.entity(noun).topic or NEUTRAL).within(*SYSTEMS, "telephony", "messages"):
            continue  # where a phone and a letter are no things to weigh
        if not world.dataset(rows={noun: 60}).frame(noun)[weight].between(low * 0.98, high * 1.02).all():
            missed.append(noun)
    assert len(nouns) > 60 and len(missed) <= len(nouns) // 3 // 20 + 1, missed


def test_what_trades_say_is_told_apart_and_can_be_read() -> None:
    """Every value of a list stands there once, patterns are regular, ends of numbers are in order; trades are told apart by a word."""
    for name, trade in trades().items():
        assert trade.telling and trade.lines, name
        for concept in {one for every in trade.concepts.values() for one in every}:
            match concept.what:
                case "words":
                    values = [value for value, _ in read_pairs(concept.arguments)]
                    assert len(values) == len(set(values)) > 1 and all(map(str.strip, values)), (name, concept.arguments)
                case "num":
                    low, high = map(float, concept.arguments.split()[:2])
                    assert low < high, (name, concept.arguments)
                case "pattern":
                    assert re.compile(concept.arguments)
    for measures in things().values():
        assert all(0 <= low < high for low, high in measures.values())


def test_no_trade_on_land_speaks_of_the_sea() -> None:
    at_sea = {
        "ports",
        "marinas",
        "fishing",
        "aquaculture",
        "canals",
        "seafarersurvey",
        "watersportsrowing",
        "scuba",
        "flyingclubs",
    }
    told = [value for name, trade in trades().items() if name not in at_sea for every in trade.concepts.values()
            for one in every if one.what == "words" for value, _ in read_pairs(one.arguments)]  # fmt: skip
    sea = re.compile(r"(?i)\b(harbour|lighthouse|anchor|galley|chandler|sailor|deckhand|boatswain)s?\b")
    assert len(told) > 8000 and [value for value in told if sea.search(value)] == []


@pytest.mark.parametrize(
    ("trade", "word"), [("sawmill", "grade"), ("dentist", "material"), ("foundry", "grade"), ("roastery", "region")]
)
def test_a_word_that_every_trade_has_keeps_its_meaning_beside_a_trade(trade: str, word: str) -> None:
    """An entity that only stands beside one of a trade is told by the trade's own words, not by such as any has."""
    own = f"CREATE TABLE {trade} (id integer PRIMARY KEY, note varchar(20), {word} varchar(60) NOT NULL);"
    columns = f"id integer PRIMARY KEY, {trade}_id integer REFERENCES {trade}, {word} varchar(60) NOT NULL"
    beside = weltigen.read_model(f"{own} CREATE TABLE lamp_post ({columns})").declared
    alone = weltigen.read_model(f"CREATE TABLE lamp_post (id integer PRIMARY KEY, {word} varchar(60) NOT NULL)").declared
    assert beside.entity("lamp_post").field(word).source == alone.entity("lamp_post").field(word).source
    assert beside.entity("lamp_post").field(word).source != beside.entity(trade).field(word).source


@pytest.mark.parametrize(
    ("table", "group"),
    [("bat_recordings", "bats"), ("nest_boxes", "birds"), ("moth_counts", "moths"), ("whale_sightings", "sea mammals")],
)
def test_species_are_of_the_group_that_a_row_is_about(table: str, group: str) -> None:
    sql = f"CREATE TABLE {table} (id integer PRIMARY KEY, common_name varchar(60) NOT NULL, sci_nm varchar(60) NOT NULL); CREATE TABLE {table}_checked (id integer PRIMARY KEY, latin_name text NOT NULL)"
    data, known = weltigen.read_model(sql).dataset(), species()[group]
    rows = data.frame(table)
    assert set(rows["common_name"]) <= set(known) and (rows["common_name"].map(known) == rows["sci_nm"]).all()
    assert set(data.frame(f"{table}_checked")["latin_name"]) <= set(known.values())
