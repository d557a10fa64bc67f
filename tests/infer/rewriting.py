"""Models told in another way: names in other habits, columns in another order, other words for the same type."""

from __future__ import annotations

import random
import re
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import weltigen
from weltigen.model import CasesSource, ComputeSource, Field, KindSource, PatternSource, Source, WeightsSource, World

MODELS = sorted((Path(__file__).parent.parent.parent / "plausible" / "models").glob("*.sql"))
Words = list[str]


def words_of(name: str) -> Words:
    """What a name is written together from, in small letters: `hireLine`, `hire_line` and `HIRE_LINE` are hire and line."""
    apart = name if name.isupper() else re.sub(r"(?<=[a-z0-9])(?=[A-Z])", "_", name)
    return [part for part in apart.lower().split("_") if part]


def _snake(words: Words) -> str:
    return "_".join(words)


def _camel(words: Words) -> str:
    return words[0] + "".join(word.capitalize() for word in words[1:])


def _pascal(words: Words) -> str:
    return "".join(word.capitalize() for word in words)


def _upper(words: Words) -> str:
    return _snake(words).upper()


@dataclass(frozen=True)
class Habit:
    """How a team names its tables and its columns."""

    table: Callable[[Words], str] = _snake
    column: Callable[[Words, Words], str] = lambda words, of: _snake(words)


HABITS = {
    "snake": Habit(),
    "camel": Habit(_camel, lambda words, of: _camel(words)),
    "pascal": Habit(_pascal, lambda words, of: _pascal(words)),
    "upper": Habit(_upper, lambda words, of: _upper(words)),
    "tables marked": Habit(lambda words: f"tbl_{_snake(words)}"),
    "tables of a part": Habit(lambda words: f"wk_{_snake(words)}"),
    "tables in the plural": Habit(lambda words: _snake(words) if words[-1].endswith("s") else f"{_snake(words)}s"),
    "columns marked": Habit(column=lambda words, of: f"fld_{_snake(words)}"),
    "columns with their table": Habit(
        column=lambda words, of: _snake(words) if words[0] == of[0] or words[-1] == "id" else _snake([*of, *words])
    ),
    "columns with three letters": Habit(column=lambda words, of: f"{of[0][:3]}_{_snake(words)}"),
}


def told(world: World, habit: Habit, dice: random.Random | None = None, extra: tuple[str, ...] = ()) -> str:
    """The tables of a world as SQL: names, types, what may be null and the keys; columns in another order where there are dice."""
    lines = []
    for entity in world.entities:
        of = words_of(entity.name)
        columns = [_column(field, habit, of) for field in entity.fields]
        if dice is not None:
            dice.shuffle(columns)
        key = ", ".join(f'"{habit.column(words_of(name), of)}"' for name in entity.key)
        columns += [*extra, *([f"PRIMARY KEY ({key})"] if key else [])]
        lines.append(f'CREATE TABLE "{habit.table(of)}" ({", ".join(columns)});')
    if dice is not None:
        dice.shuffle(lines)
    return "\n".join(lines)


def _column(field: Field, habit: Habit, of: Words) -> str:
    return f'"{habit.column(words_of(field.name), of)}" {field.type}{"" if field.nullable else " NOT NULL"}'


TYPES_IN = {
    "mysql": {
        "boolean": "tinyint(1)", "timestamp": "datetime", "timestamptz": "datetime", "text": "longtext", "jsonb": "json", "real": "float",
        "integer": "int", "bytea": "longblob", "uuid": "char(36)",
    },
    "mariadb": {"timestamp": "datetime(6)", "timestamptz": "datetime(6)", "jsonb": "json", "integer": "int(11)", "bytea": "blob"},
    "sqlite": {"timestamp": "DATETIME", "timestamptz": "DATETIME", "text": "TEXT", "jsonb": "JSON", "integer": "INTEGER", "bytea": "BLOB"},
}  # fmt: skip


def in_types_of(dialect: str, sql: str) -> str:
    """SQL that `told` wrote with the types and the quotes of another dialect."""
    spelled = re.sub(r'(?<=" )[a-z]+(?![a-z(\[])', lambda found: TYPES_IN[dialect].get(found[0], found[0]), sql)
    return spelled if dialect == "sqlite" else spelled.replace('"', "`")


def meanings(sql: str, dialect: str = "postgresql") -> dict[tuple[int, int], str]:
    """What is guessed of every field, by the numbers of its entity and its own; fields and entities that are spoken of by theirs."""
    world = weltigen.read_model(sql, dialect=dialect).declared
    out = {}
    for at, entity in enumerate(world.entities):
        numbers = {name: f"#{place}" for place, name in enumerate(entity.field_names)}
        places = {other.name: f"@{place}" for place, other in enumerate(world.entities)}
        numbers |= places
        for relation in entity.relations:
            numbers[relation.name] = places[relation.target]
            fields = enumerate(world.entity(relation.target).field_names)
            numbers |= {f"{relation.name}.{name}": f"{places[relation.target]}.{place}" for place, name in fields}
        out |= {(at, place): meaning(field, numbers) for place, field in enumerate(entity.fields)}
    return out


def by_names(sql: str, dialect: str = "postgresql") -> dict[str, str]:
    """The same by the names of entities and fields."""
    world = weltigen.read_model(sql, dialect=dialect).declared
    return {f"{entity.name}.{field.name}": meaning(field, {}) for entity in world.entities for field in entity.fields}


def meaning(field: Field, numbers: dict[str, str]) -> str:
    """Where a field's values come from, when it has one and within what limits, with numbers for the names that stand there."""

    def spoken(text: str) -> str:
        return re.sub(r"[A-Za-z_]\w*(?:\.\w+)?", lambda name: numbers.get(name[0], name[0]), text.replace('"', ""))

    def told(of: Source | None) -> str:
        match of:
            case ComputeSource(expression=expression):
                return spoken(expression)
            case KindSource(kind=kind, parameters=parameters):
                return f"{kind} {[(key, spoken(value) if key in ('of', 'per') else value) for key, value in parameters]}"
            case WeightsSource(weights=weights):
                return str(weights)
            case PatternSource(pattern=pattern):
                return pattern
            case CasesSource(cases=cases):
                return str([(spoken(case.when or ""), told(case.source)) for case in cases])
            case other:
                return str(other)

    bounds = [f"{b.comparison} {spoken(b.operand)} {b.within} {b.usually}" for b in field.limits.bounds]
    present = field.present and (field.present.share, spoken(field.present.when or ""))
    return f"{told(field.source)}; {bounds}; {field.limits.allowed}; {present}; {field.secret}"
