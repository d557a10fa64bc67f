"""Numbers of any name that means something: of a modest size, seldom negative, spread over several values, whatever their type."""

from __future__ import annotations

import random
import re
from functools import lru_cache

import pandas as pd
import pytest

import weltigen
from weltigen.infer.concepts import known_names, matching
from weltigen.infer.offers import read_pairs
from weltigen.model.types import INTEGERS, NUMBERS

# what may be below nothing
SIGNED = re.compile(
    r"temp|celsius|fahrenheit|dew|windchill|balance|latitude|longitude|lat$|lon|lng|offset|change|delta|difference|deviation|diff|elevation|altitude|"
    r"variance|trend|growth|profit|loss|margin|gain|error|bias|shift|skew|adjust|correction|score|rating|dbm|rssi|signal|gain|level|tide|coordinate|"
    r"charge|priority|axis|angle|pitch|roll|yaw|x|y|z|sentiment|karma|votes|points|exposure|diopter|sphere|cylinder|potential|redox|orp|return|net|"
    r"dec_deg|_cp$|feels_like|floor_number|tolerance|snr|^sph|surplus|wind_chill|[di][en]clination|flash_point|lufs|angular|dioptre|spherical|eval_cp|centipawns|loudness|heel|trim|drift|position|depth|velocity|acceleration|gradient|slope|index|ebv|anomaly|magnitude|power|worth|weight|stock|movement|amount|value|quantity"
)


@lru_cache(maxsize=1)
def names() -> list[str]:
    """Names of concepts of numbers alone, as columns are spelled."""
    found = []
    for words in known_names():
        told = matching(words)
        plain = all(word.isalpha() for word in words) and len("_".join(words)) < 50
        if plain and told and all(one.concept.types <= NUMBERS for one in told if one.whole) and any(one.whole for one in told):
            found.append("_".join(words))
    return sorted(found)


def columns(part: int, kind: str, rows: int = 150) -> pd.DataFrame:
    """Every ninth name as a column of a type, in tables of forty."""
    chosen = [
        name
        for name in names()[part::9]
        if kind != "integer" or any(one.concept.types & INTEGERS for one in matching(tuple(name.split("_"))))
    ]
    tables = [chosen[at : at + 40] for at in range(0, len(chosen), 40)]
    listed = [", ".join(f'"{name}" {kind} NOT NULL' for name in table) for table in tables]
    sql = "".join(f"CREATE TABLE gauge_{at} (id integer PRIMARY KEY, {told});" for at, told in enumerate(listed))
    dataset = weltigen.read_model(sql, dialect="postgresql").dataset(rows={f"gauge_{at}": rows for at in range(len(tables))})
    frames = [dataset.frame(f"gauge_{at}").drop(columns="id").astype(float) for at in range(len(tables))]
    return pd.concat(frames, axis=1)


@pytest.mark.parametrize("kind", ["integer", "bigint", "numeric(12,2)", "double precision"])
@pytest.mark.parametrize("part", [0, 4])
def test_numbers_have_modest_sizes(part: int, kind: str) -> None:
    frame = columns(part, kind)
    assert frame.shape[1] > 150
    low, high, several = frame.min(), frame.max(), frame.nunique()
    below = [name for name in frame.columns[low < 0] if not SIGNED.search(name)]
    assert not below, below
    huge = [
        name
        for name in frame.columns
        if high[name] > 5e9
        and not re.search(
            r"_ms$|_ts$|millis|bytes|size|serial|number|id$|code|ean|isbn|imei|nano|_ns$|phone|key|stamp|hash", name
        )
    ]
    assert not huge, [(name, high[name]) for name in huge]
    lone = [name for name in frame.columns if several[name] < 2]
    assert len(lone) <= 0.01 * frame.shape[1], lone


def test_a_number_in_whole_units_is_whole_whatever_its_type() -> None:
    """How many of something has no fraction, also in a column that could hold one."""
    counts = [name for name in names() if name.endswith("_count") or name.startswith("number_of_")]
    chosen = random.Random(1).sample(counts, min(40, len(counts)))
    columns = ", ".join(f'"{name}" numeric(10,2) NOT NULL' for name in chosen)
    frame = (
        weltigen.read_model(f"CREATE TABLE gauge (id integer PRIMARY KEY, {columns})").dataset(rows={"gauge": 100}).frame("gauge")
    )
    broken = [name for name in chosen if (frame[name].astype(float) % 1 != 0).any()]
    assert len(chosen) > 15 and not broken, broken


def test_lists_of_values_have_no_value_twice_and_none_that_is_empty() -> None:
    """What a concept lists: weights above nothing, no two values that differ in case alone."""
    wrong = []
    for words in known_names():
        for one in matching(words):
            if one.whole and one.concept.what == "words":
                pairs = read_pairs(one.concept.arguments)
                folded = [value.strip().lower() for value, _ in pairs]
                if (
                    len(set(folded)) < len(folded)
                    or not all(folded)
                    or any(weight <= 0 for _, weight in pairs)
                    or any(v != v.strip() for v, _ in pairs)
                ):
                    wrong.append((" ".join(words), one.concept.arguments[:60]))
    assert not wrong, wrong[:10]


@pytest.mark.parametrize("first", ["peak", "max", "highest"])
def test_the_most_that_a_number_was_is_not_below_it_and_of_its_size_without_it(first: str) -> None:
    """Where the other number is null nothing bounds a row, and the kind's own range holds."""
    table = (
        weltigen.read_model(f"CREATE TABLE players (id serial PRIMARY KEY, rating integer, {first}_rating integer);")
        .dataset(rows={"players": 2000})
        .table("players")
    )
    now, most = table["rating"].to_pylist(), table[f"{first}_rating"].to_pylist()
    pairs = [(a, b) for a, b in zip(now, most, strict=True) if a is not None and b is not None]
    alone = [b for a, b in zip(now, most, strict=True) if a is None and b is not None]
    kept = [b for b in most if b is not None]
    assert len(pairs) > 1000 and all(a <= b for a, b in pairs)
    assert len(alone) > 50 and min(kept) > max(kept) / 5
