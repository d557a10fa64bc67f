"""A script means the same however it is typed: in capitals, over many lines, with comments, quotes and schemas, keys declared later."""

from __future__ import annotations

import random
import re
from collections.abc import Callable
from pathlib import Path

import pytest

import weltigen
from weltigen.model import World

MODELS = sorted((Path(__file__).parent.parent.parent / "plausible" / "models").glob("*.sql"))
TOKEN = re.compile(r"--[^\n]*|/\*.*?\*/|'(?:[^']|'')*'|\"[^\"]*\"|`[^`]*`|[A-Za-z_]\w*|\d+(?:\.\d+)?|\s+|.", re.DOTALL)
SIGNS = ".:<>=!|"
KEYWORDS = frozenset(
    "create table primary key not null default references unique check foreign constraint in is and or between integer varchar text numeric "
    "boolean date timestamp timestamptz smallint bigint char on delete cascade set restrict insert into values".split()
)


def tokens(sql: str) -> list[str]:
    return [one for one in TOKEN.findall(sql) if one.strip() and not one.startswith(("--", "/*"))]


def joined(sql: str, between: Callable[[], str], word: Callable[[str], str] = str) -> str:
    """The tokens of a script with something between them; the signs of one operator stay together."""
    out: list[str] = []
    for one in tokens(sql):
        if out and not (out[-1][-1] in SIGNS and one[0] in SIGNS):
            out.append(between())
        out.append(word(one))
    return "".join(out)


def capitals(sql: str) -> str:
    return joined(sql, lambda: " ", lambda word: word.upper() if word.lower() in KEYWORDS else word)


def small(sql: str) -> str:
    return joined(sql, lambda: " ", lambda word: word.lower() if word.lower() in KEYWORDS else word)


def spread(sql: str) -> str:
    dice = random.Random(1)
    return joined(sql, lambda: dice.choice([" ", "\n", "\t", "\r\n    ", "  \n\n"]))


def commented(sql: str) -> str:
    dice = random.Random(2)
    return joined(sql, lambda: dice.choice([" ", " ", " -- it's a note; CREATE TABLE x (\n", " /* of 'two'\n lines; */ "]))


def with_mark(sql: str) -> str:
    """As an editor on Windows saves it."""
    return "\ufeff" + sql.replace("\n", "\r\n")


def in_a_transaction(sql: str) -> str:
    return f"SET client_encoding = 'UTF8';\nBEGIN;\n{sql}\n;;\nCOMMIT;\n"


def if_missing(sql: str) -> str:
    dropped = "".join(f"DROP TABLE IF EXISTS {name} CASCADE;\n" for name in re.findall(r"(?i)create table (\S+)", sql))
    return dropped + re.sub(r"(?i)create table", "CREATE TABLE IF NOT EXISTS", sql)


WAYS = {way.__name__: way for way in (capitals, small, spread, commented, with_mark, in_a_transaction, if_missing)}


def told(world: World) -> dict[str, list[str]]:
    """All that a model declares, by entity, without where it stands."""

    def plain(text: str | None) -> str:
        return " ".join(tokens(text or "")).lower()

    return {
        entity.name: [
            *(f"{f.name} {f.type} {f.nullable} {plain(f.default)} {plain(f.generated)} {f.identity}" for f in entity.fields),
            f"key {entity.key}",
            *sorted(f"unique {rule.columns} {plain(rule.where)}" for rule in entity.uniques),
            *sorted(f"check {plain(check.expression)}" for check in entity.checks),
            *sorted(f"{r.columns} -> {r.target} {r.target_columns} {r.on_delete}" for r in entity.relations if r.guess is None),
        ]
        for entity in world.entities
    }


def dialect_of(path: Path) -> str:
    text = path.read_text("utf-8")
    return "mysql" if "`" in text or re.search(r"(?i)auto_increment|tinyint|longtext", text) else "postgresql"


@pytest.mark.parametrize("path", MODELS, ids=lambda path: path.stem)
def test_a_script_means_the_same_however_it_is_typed(path: Path) -> None:
    """Each model in half of the ways, by turns."""
    sql, turn = path.read_text("utf-8"), MODELS.index(path)
    first = told(weltigen.read_model(sql, dialect=dialect_of(path)).declared)
    for way in [*WAYS][turn % 2 :: 2]:
        assert told(weltigen.read_model(WAYS[way](sql), dialect=dialect_of(path)).declared) == first, way
