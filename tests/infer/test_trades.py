"""Words of one trade, and the sizes of things: each line that declares some is asked for in a bare model of its own."""

from __future__ import annotations

import re
from functools import lru_cache
from itertools import islice

import pandas as pd
import pytest

import weltigen
from weltigen.infer.concepts import Concept
from weltigen.infer.concepts.trades import trades
from weltigen.infer.nouns import SYSTEMS
from weltigen.infer.offers import read_pairs
from weltigen.infer.sizes import things
from weltigen.model import TypeName
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
            return bool(values.str.fullmatch(arguments).all())
    return True


@pytest.mark.parametrize("trade", sorted(trades()))
def test_a_trades_words_mean_in_it_what_they_say(trade: str) -> None:
    """Of the lines of a trade nine in ten at least are what a column of their name holds, but where another guess is as sure."""
    noun = sorted(word for word in trades()[trade].telling if word.isalpha())[0]
    columns = [
        (name, next(sql for kind, sql in TYPES.items() if kind in one.types), one)
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


def test_what_nothing_is_known_of_is_told_by_how_it_is() -> None:
    sql = "CREATE TABLE ritual (id integer PRIMARY KEY, scrub varchar(40) NOT NULL, tested_on text NOT NULL, would_repeat integer NOT NULL)"
    rows = weltigen.read_model(sql, dialect="sqlite").dataset(rows={"ritual": 200}).frame("ritual")
    assert rows["scrub"].str.endswith(" scrub").all() and 3 < rows["scrub"].nunique() < 12
    assert pd.to_datetime(rows["tested_on"], format="%Y-%m-%d").notna().all() and set(rows["would_repeat"]) == {0, 1}
