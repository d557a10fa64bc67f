"""Tables in DuckDB. References can only be declared with the table, to one that is there."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

from ...model import Entity, Field, Relation, TypeName
from ...model.types import FieldType
from ...stored.names import literal
from .definition import Definer, Definition, Extra, plain_rules


class DuckdbDefiner(Definer):
    dialect = sqlglot = "duckdb"

    def definitions(self, entities: object) -> list[Definition]:
        there: set[str] = set()
        out = []
        for entity in entities:  # type: ignore[attr-defined]
            out.append(self._definition(entity, there))
            there.add(entity.name)
        return out

    def definition(self, entity: Entity) -> Definition:
        return self._definition(entity, set(self.world.entity_names))

    def _definition(self, entity: Entity, there: set[str]) -> Definition:
        left, lines, bare, extras = list[str](), [], [], list[Extra]()
        for field in entity.fields:
            line = f"{self.name(field.name)} {self.type_of(entity, field)}"
            line += " NOT NULL" if not field.nullable and field.generated is None else ""
            default = self.default(field)
            if field.default is not None and default is None:
                left.append(f"{entity.name}.{field.name}: default {field.default}")
            bare.append(line)
            lines.append(f"{line} DEFAULT {default}" if default is not None else line)
            if default is not None:
                sql = f"ALTER TABLE {self.table(entity)} ALTER COLUMN {self.name(field.name)} SET DEFAULT {default}"
                extras.append(Extra(sql=sql, words=f"{entity.name}.{field.name}: default {field.default}"))
            if field.generated is not None:
                left.append(f"{entity.name}.{field.name}: how it is computed ({field.generated})")
        checks = []
        for condition, words in self._conditions(entity):
            if condition is None:
                left.append(words)
            else:
                checks.append(f"CHECK ({condition})")
                extras.append(Extra(sql="", words=words))
        rules = list(self._rules(entity, left))
        references, loose = self.kept(entity)
        kept = [r for r in references if r.target in there and self._plain_target(r)]
        left += [
            f"reference {r.label} to {r.target}, which comes later"
            for r in references
            if r.target not in there and r.target != entity.name
        ]
        left += [f"reference {r.label} to itself" for r in references if r.target == entity.name]
        rules += [self.reference(replace_rules(relation), None) for relation in kept if relation.target != entity.name]
        return Definition(
            entity=entity.name, table=self.table(entity), create=self._create(entity, [*lines, *checks, *rules]),
            bare=self._create(entity, [*bare, *rules]), extras=tuple(extras), left_out=(*left, *loose),
        )  # fmt: skip

    def _plain_target(self, relation: Relation) -> bool:
        target = self.world.entity(relation.target)
        rules = [rule.columns for rule in plain_rules(target)] + [target.key]
        return relation.target_columns in rules

    def _create(self, entity: Entity, lines: list[str]) -> str:
        return f"CREATE TABLE {self.table(entity)} (\n  " + ",\n  ".join(lines) + "\n)"

    def type_of(self, entity: Entity, field: Field) -> str:
        return self._type(field.type.stored)

    def _type(self, of: FieldType) -> str:
        match of.name:
            case TypeName.NUMERIC:
                return "decimal({},{})".format(*of.digits)
            case TypeName.ARRAY:
                return f"{self._type(of.element) if of.element else 'varchar'}[]"
            case TypeName.TEXT | TypeName.VARCHAR | TypeName.CHAR | TypeName.OTHER | TypeName.INET | TypeName.MACADDR:
                return "varchar"
            case TypeName.ENUM | TypeName.INTERVAL | TypeName.BIT:
                return "varchar"
            case TypeName.BYTEA:
                return "blob"
            case TypeName.SMALLINT | TypeName.INTEGER | TypeName.BIGINT | TypeName.REAL | TypeName.DOUBLE | TypeName.BOOLEAN:
                return str(of.name)
            case _:
                return {TypeName.TIMESTAMPTZ: "timestamptz"}.get(of.name, str(of.name))

    def _conditions(self, entity: Entity) -> Iterator[tuple[str | None, str]]:
        for check, expression in self.checks(entity):
            yield expression, f"{entity.name}: {check}"
        for field in entity.fields:
            if field.type.name is TypeName.ENUM and field.type.values:
                values = ", ".join(literal(value) for value in field.type.values)
                yield f"{self.name(field.name)} IN ({values})", f"{entity.name}.{field.name}: one of its values"
            if (limits := self.limits(field)) is not None:
                yield limits, f"{entity.name}.{field.name}: {limits}"

    def _rules(self, entity: Entity, left: list[str]) -> Iterator[str]:
        if entity.key:
            yield f"PRIMARY KEY ({self.listed(entity.key)})"
        for rule in plain_rules(entity):
            if rule.nulls_distinct:
                yield f"UNIQUE ({self.listed(rule.columns)})"
            else:
                left.append(f"{entity.name}: {rule}")
        left += [f"{entity.name}: {rule}" for rule in entity.special_rules]


def replace_rules(relation: Relation) -> Relation:
    """DuckDB knows no delete rules."""
    from ...model import OnDelete

    return replace(relation, on_delete=OnDelete.NO_ACTION, on_update=OnDelete.NO_ACTION)
