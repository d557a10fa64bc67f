"""A model means the same in whatever habit its names are written, in whatever order it is told, and with more beside it."""

from __future__ import annotations

import random
import re
from functools import cache
from pathlib import Path

import pytest

import weltigen
from weltigen.model import World

from .rewriting import HABITS, MODELS, TYPES_IN, by_names, in_types_of, meanings, told

# how many fields in a thousand may mean something else where names are written so: letters are a word by chance, `can_name` of a
# canteen, and a language is told by fewer words
LENIENT = {"columns marked": 1, "columns with their table": 1, "columns with three letters": 3, "tables in the plural": 3}


@cache
def declared(path: Path) -> World:
    return weltigen.read_model(path.read_text("utf-8")).declared


@cache
def in_snake(path: Path) -> dict[tuple[int, int], str]:
    return meanings(told(declared(path), HABITS["snake"]))


def other_meanings(path: Path, found: dict[tuple[int, int], str]) -> list[str]:
    """The fields of a model that mean something else than in small letters with underscores."""
    entities = declared(path).entities
    first = in_snake(path)
    return [
        f"{path.stem} {entities[at].name}.{entities[at].fields[of].name}" for at, of in first if found[at, of] != first[at, of]
    ]


@pytest.mark.parametrize("habit", [habit for habit in HABITS if habit != "snake"])
def test_names_mean_the_same_in_every_habit(habit: str) -> None:
    found = {path: meanings(told(declared(path), HABITS[habit])) for path in MODELS}
    fields = sum(map(len, found.values()))
    other = [name for path in MODELS for name in other_meanings(path, found[path])]
    assert fields > 1600 and len(other) <= LENIENT.get(habit, 0) * fields / 1000, other


@pytest.mark.parametrize("habit", ["camel", "pascal"])
def test_names_mean_the_same_without_quotes_which_a_database_folds(habit: str) -> None:
    """`waterTempC` is kept as watertempc, and was written with its capitals for whoever reads it."""
    found = {}
    for path in MODELS:
        sql = told(declared(path), HABITS[habit])
        bare = re.sub(r'"([A-Za-z]*[a-z][A-Z][A-Za-z]*)"', r"\1", sql)
        assert bare.count('"') < 0.7 * sql.count('"'), path
        found[path] = meanings(bare)
    other = [name for path in MODELS for name in other_meanings(path, found[path])]
    assert sum(map(len, found.values())) > 1600 and not other, other


@pytest.mark.parametrize("seed", range(2))
def test_the_order_in_which_a_model_is_told_changes_little(seed: int) -> None:
    """Of two persons of a row the first has its name, and steps that no rule knows follow each other as their columns do."""
    fields, other = 0, []
    for path in MODELS:
        first = by_names(told(declared(path), HABITS["snake"]))
        mixed = by_names(told(declared(path), HABITS["snake"], random.Random(seed)))
        fields += len(first)
        other += [f"{path.stem} {name}: {mixed[name]}" for name in first if mixed[name] != first[name]]
    assert fields > 1600 and len(other) <= 0.005 * fields, other


@pytest.mark.parametrize("dialect", TYPES_IN)
def test_types_mean_the_same_in_every_dialect(dialect: str) -> None:
    other = []
    for path in MODELS:
        found = meanings(in_types_of(dialect, told(declared(path), HABITS["snake"])), dialect)
        other += other_meanings(path, found)
    assert len(other) <= 3, other  # one bit, a list, and the values of an enumeration, which not all have


def test_what_is_put_beside_a_model_changes_nothing_in_it() -> None:
    """Who wrote a row stands in most tables of some applications; tables of another application lie in the same file."""
    extra = ('"row_written_by" varchar(60)', '"row_version" integer', '"row_digest" char(64)')
    visitors = "CREATE TABLE lamp_keeper (id integer PRIMARY KEY, name text NOT NULL, lit_since date NOT NULL, remark text);"
    fields, other = 0, []
    for path in MODELS[::2]:
        plain = told(declared(path), HABITS["snake"])
        first = by_names(plain)
        for beside in (told(declared(path), HABITS["snake"], extra=extra), f"{plain}\n{visitors}", f"{visitors}\n{plain}"):
            found = by_names(beside)
            fields += len(first)
            other += [f"{path.stem} {name}: {found[name]}" for name in first if found[name] != first[name]]
    assert len(other) <= 0.004 * fields, other
