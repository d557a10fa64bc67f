"""A maker of world files for any model: each thing that it says may be right or nonsense for the field it is said of."""

from __future__ import annotations

from collections.abc import Callable
from random import Random

import weltigen
from weltigen.model import Entity, Field, Relation, World
from weltigen.values import kind_names

from .bare.forms import sql_text

_WORDS = ("amber", "open", "North Pier", "7", "12.50", "2024-05-01", "true", "0", "-3", "x@y.example", "no", "a'b")
_DAYS = ("2024-03-01", "2025-06-30", "2024-12-31T12:00:00")


class _Wisher:
    def __init__(self, seed: int, world: World) -> None:
        self.chance, self.world = Random(f"wishes {seed}"), world
        self.share = self.chance.choice([0.03, 0.08, 0.2])  # of fields and references of which anything is said

    def some(self, share: float) -> bool:
        return self.chance.random() < share

    def literal(self, field: Field) -> str:
        if self.some(0.08):
            return self.chance.choice(_WORDS)
        name = str(field.type.name)
        if field.type.values:
            return self.chance.choice(field.type.values)
        if name in ("date", "timestamp", "timestamptz"):
            return self.chance.choice(_DAYS)
        if name in ("smallint", "integer", "bigint"):
            return str(self.chance.choice([0, 1, 2, 5, 40, 300, -4]))
        if name in ("numeric", "real", "double precision"):
            return self.chance.choice(["0", "0.5", "12.25", "300", "-7"])
        if name == "boolean":
            return self.chance.choice(["true", "false"])
        return "10:30:00" if name == "time" else self.chance.choice(_WORDS)

    def quoted(self, text: str) -> str:
        return sql_text(text) if text != "null" else text

    def of_field(self, entity: Entity, field: Field) -> list[str]:
        other = self.chance.choice(entity.fields)
        name = '"' + other.name.replace('"', '""') + '"'
        value = lambda: self.quoted(self.literal(field))  # noqa: E731
        sources: list[Callable[[], str]] = [
            lambda: f"kind: {self.chance.choice(kind_names())}",
            lambda: f"const: {value()}",
            lambda: f"weights: {{{value()}: 3, {value()}: 1}}",
            lambda: f"enum: [{value()}, {value()}]",
            lambda: f"pattern: {self.quoted(self.chance.choice(['[A-Z]{3}', '[a-f0-9]{8}', '[0-9]{2,4}', 'k-[0-9]']))}",
            lambda: f"compute: {self.quoted(self.chance.choice([name, f'{name} + 1', f'upper({name})', 'null', '3']))}",
            lambda: "shape: {normal: {mean: 40, sd: 12}}",
        ]
        limits: list[Callable[[], str]] = [
            lambda: f"minimum: {value()}",
            lambda: f"maximum: {value()}",
            lambda: f"{self.chance.choice(['after', 'before'])}: {self.quoted(other.name)}",
            lambda: f"present: {self.chance.choice(['0%', '35%', '100%'])}",
            lambda: f"present: {self.quoted(f'{name} IS NOT NULL')}",
            lambda: f"maxLength: {self.chance.choice([1, 4, 30])}",
            lambda: "unique: true",
            lambda: "multipleOf: 5",
        ]
        said = [self.chance.choice(sources)()] if self.some(0.6) else []
        said += [one() for one in self.chance.sample(limits, self.chance.choice([0, 0, 1, 1, 2]))]
        return list({one.partition(":")[0]: one for one in said}.values())

    def of_reference(self, entity: Entity, relation: Relation) -> list[str]:
        target = self.world.entity(relation.target)
        field = self.chance.choice(target.fields)
        name = '"' + field.name.replace('"', '""') + '"'
        wishes = [
            "favour: even", "favour: {few: 10%, take: 80%}", f"present: {self.chance.choice(['0%', '50%', '100%'])}",
            f"where: {self.quoted(f'{name} = ' + sql_text(self.literal(field)))}", f"where: {self.quoted(f'{name} IS NOT NULL')}",
            "rows: {mean: 2, none: 20%}", "tree: {roots: 2, depth: 3}", f"unlike: {self.chance.choice(entity.relations).name!r}",
        ]  # fmt: skip
        said = self.chance.sample(wishes, self.chance.choice([1, 1, 2]))
        return list({one.partition(":")[0]: one for one in said}.values())

    def of_entity(self, entity: Entity) -> list[str]:
        lines = []
        if self.some(2 * self.share):
            per = self.chance.choice(entity.relations).target if entity.relations else ""
            counts = [f"{self.chance.randint(0, 40)}", f"{self.chance.randint(0, 40)}"]
            counts += (
                [f"{{per: {self.quoted(per)}, each: 2}}", f"{{per: {self.quoted(per)}, mean: 1.5, none: 25%}}"] if per else []
            )
            lines.append(f"rows: {self.chance.choice(counts)}")
        free = [field for field in entity.fields if self.some(self.share)]
        said = {field.name: wishes for field in free if (wishes := self.of_field(entity, field))}
        if said:
            lines += ["fields:", *(f"  {self.quoted(name)}: {{{', '.join(wishes)}}}" for name, wishes in said.items())]
        relations = [relation for relation in entity.relations if self.some(self.share)]
        if relations:
            lines += ["references:"]
            lines += [f"  {self.quoted(one.name)}: {{{', '.join(self.of_reference(entity, one))}}}" for one in relations]
        return lines


def random_wishes(seed: int, model: str, dialect: str) -> str:
    """The text of a world file over a file `model.sql` that holds `model`."""
    world = weltigen.read_model(model, dialect=dialect).declared
    wisher = _Wisher(seed, world)
    text = f"weltigen: 3\nmodel: model.sql\ndialect: {dialect}\nseed: {seed}\nentities:\n"
    for entity in world.entities:
        lines = wisher.of_entity(entity)
        text += f"  {wisher.quoted(entity.name)}:\n" + "".join(f"    {line}\n" for line in lines) if lines else ""
    return text
