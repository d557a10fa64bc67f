"""Tables in PostgreSQL."""

from __future__ import annotations

import re
from collections.abc import Iterator

from ...model import Entity, Field, Relation, TypeName, Unique
from ...model.types import FieldType
from ...stored.names import literal, schema_and_table
from .definition import Definer, Definition, Extra, plain_rules

_OWN = frozenset(
    "smallint int2 integer int int4 bigint int8 numeric decimal dec real float4 double float8 float boolean bool char character "
    "nchar bpchar varchar text citext name date time timetz timestamp timestamptz interval uuid json jsonb bytea bit varbit inet "
    "cidr macaddr macaddr8 money oid xid xid8 national tsvector tsquery xml point line lseg box path polygon circle geometry "
    "geography int4range int8range numrange daterange tsrange tstzrange int4multirange int8multirange nummultirange "
    "datemultirange tsmultirange tstzmultirange hstore ltree lquery jsonpath pg_lsn regclass regtype regproc vector".split()
)
_SERIALS = {
    "smallserial": "smallint", "serial2": "smallint", "serial": "integer", "serial4": "integer", "bigserial": "bigint",
    "serial8": "bigint",
}  # fmt: skip
_EXTENSIONS = frozenset({"citext", "hstore", "ltree", "vector"})  # types that an extension of the same name brings
_LONGEST = 63  # bytes of a name


class PostgresqlDefiner(Definer):
    dialect, sqlglot = "postgresql", "postgres"

    def definition(self, entity: Entity) -> Definition:
        lines, bare, extras, left = [], [], [], list[str]()
        for field in entity.fields:
            line = self._column(entity, field)
            if line is None:
                left.append(f"{entity.name}.{field.name}: how it is computed ({field.generated})")
                line = f"{self.name(field.name)} {self.type_of(entity, field)}"
            bare.append(line)
            default = self.default(field)
            if field.default is not None and default is None and not self.counts_up(field):
                left.append(f"{entity.name}.{field.name}: default {field.default}")
            lines.append(f"{line} DEFAULT {default}" if default is not None else line)
            if default is not None:
                sql = f"ALTER TABLE {self.table(entity)} ALTER COLUMN {self.name(field.name)} SET DEFAULT {default}"
                extras.append(Extra(sql=sql, words=f"{entity.name}.{field.name}: default {field.default}"))
        for condition, name, words in self._conditions(entity):
            if condition is None:
                left.append(words)
                continue
            named = (
                f"CONSTRAINT {self.name(self.index_name(entity, f'{entity.name} {name}'[:58], (), _LONGEST))} " if name else ""
            )
            rule = f"{named}CHECK ({condition})"
            lines.append(rule)
            extras.append(Extra(sql=f"ALTER TABLE {self.table(entity)} ADD {rule}", words=words))
        references, loose = self.kept(entity)
        return Definition(
            entity=entity.name, table=self.table(entity), before=tuple(self._before(entity)),
            create=self._create(entity, lines), bare=self._create(entity, bare), extras=tuple(extras),
            keys=tuple(self._keys(entity, left)), references=tuple(self._reference(entity, r) for r in references),
            left_out=(*left, *loose),
        )  # fmt: skip

    def _create(self, entity: Entity, lines: list[str]) -> str:
        return f"CREATE TABLE {self.table(entity)} (\n  " + ",\n  ".join(lines) + "\n)"

    def _before(self, entity: Entity) -> Iterator[str]:
        schema, _ = schema_and_table(entity)
        if schema is not None:
            yield f"CREATE SCHEMA IF NOT EXISTS {self.name(schema)}"
        for field in entity.fields:
            of = field.type.element or field.type
            if of.name is TypeName.ENUM and (name := self._own_name(of)) is not None:
                parts = name.split(".")
                if len(parts) > 1 and parts[0].strip('"') != schema:
                    yield f"CREATE SCHEMA IF NOT EXISTS {parts[0]}"
                yield f"CREATE TYPE {name} AS ENUM ({', '.join(literal(value) for value in of.values)})"
            elif self.same and (word := _word(of.spelled)) in _EXTENSIONS:
                yield f"CREATE EXTENSION IF NOT EXISTS {word}"

    def _own_name(self, of: FieldType) -> str | None:
        """What the source calls an enumeration; None where it lists the values on the spot."""
        spelled = (of.spelled or "").removesuffix("[]")
        return spelled if self.same and spelled and "(" not in spelled and _word(spelled) != "enum" else None

    def _column(self, entity: Entity, field: Field) -> str | None:
        parts = [self.name(field.name), self.type_of(entity, field)]
        if field.collation is not None and self.same and field.collation.lower() != "citext":
            parts.append(f"COLLATE {self.name(field.collation)}")
        if field.generated is not None:
            expression = self.expression(field.generated, self.world.dialect)
            return f"{' '.join(parts)} GENERATED ALWAYS AS ({expression}) STORED" if expression is not None else None
        if self.counts_up(field):
            parts.append("GENERATED BY DEFAULT AS IDENTITY")
        return " ".join(parts + ["NOT NULL"] * (not field.nullable))

    def counts_up(self, field: Field) -> bool:
        return super().counts_up(field) and field.generated is None

    def type_of(self, entity: Entity, field: Field) -> str:
        return self._type(field.type.stored)

    def _type(self, of: FieldType) -> str:
        if of.name is TypeName.ARRAY:
            return f"{self._type(of.element) if of.element else 'text'}[]"
        if of.name is TypeName.ENUM:
            return self._own_name(of) or "text"
        word = _word(of.spelled)
        if self.same and of.spelled and word in _SERIALS:
            return _SERIALS[word]
        if self.same and of.spelled and (word in _OWN or of.name is TypeName.OTHER):
            return of.spelled
        match of.name:
            case TypeName.NUMERIC if of.precision is not None:
                return (
                    f"numeric({of.digits[0]},{of.digits[1]})" if of.precision > 38 else f"numeric({of.precision},{of.scale or 0})"
                )
            case TypeName.TEXT if of.length is not None:
                return f"varchar({of.length})"
            case TypeName.BIT:
                return f"bit varying({of.length})" if of.length else "bit varying"
            case TypeName.BYTEA | TypeName.OTHER | TypeName.JSON:
                return {TypeName.BYTEA: "bytea", TypeName.OTHER: "text", TypeName.JSON: "jsonb"}[of.name]
            case TypeName.INET:
                return "cidr" if of.declared == "cidr" else "inet"
            case _:
                return str(of)

    def _conditions(self, entity: Entity) -> Iterator[tuple[str | None, str | None, str]]:
        """Conditions of single rows with the name that each has, and what each is in words."""
        for check, expression in self.checks(entity):
            yield expression, check.name, f"{entity.name}: {check}"
        for field in entity.fields:
            if field.type.name is TypeName.ENUM and self.type_of(entity, field) == "text" and field.type.values:
                values = ", ".join(literal(value) for value in field.type.values)
                yield f"{self.name(field.name)} IN ({values})", None, f"{entity.name}.{field.name}: one of its values"
            if (limits := self.limits(field)) is not None:
                yield limits, None, f"{entity.name}.{field.name}: {limits}"

    def _keys(self, entity: Entity, left: list[str]) -> Iterator[str]:
        table = self.table(entity)
        if entity.key:
            yield f"ALTER TABLE {table} ADD PRIMARY KEY ({self.listed(entity.key)})"
        for rule in plain_rules(entity):
            nulls = "" if rule.nulls_distinct else " NULLS NOT DISTINCT"
            named = f"CONSTRAINT {self.name(self.index_name(entity, rule.name, rule.columns, _LONGEST))} " if rule.name else ""
            yield f"ALTER TABLE {table} ADD {named}UNIQUE{nulls} ({self.listed(rule.columns)})"
        for rule in entity.special_rules:
            yield from self._index(entity, rule, f"{entity.name}: {rule}", left, "UNIQUE ")
        for index in entity.indexes:
            yield from self._index(entity, index, None, left, "")
        for relation in self.unindexed(entity):
            name = self.name(self.index_name(entity, None, relation.columns, _LONGEST))
            yield f"CREATE INDEX {name} ON {table} ({self.listed(relation.columns)})"

    def _index(self, entity: Entity, index: object, words: str | None, left: list[str], unique: str) -> Iterator[str]:
        columns, expressions = index.columns, index.expressions  # type: ignore[attr-defined]
        parts = [self.expression(text, self.world.dialect) for text in expressions]
        where = self.expression(index.where, self.world.dialect) if index.where else ""  # type: ignore[attr-defined]
        if None in parts or where is None:
            left += [words] if words else []
            return
        of = [*map(self.name, columns), *(f"({part})" for part in parts)]
        name = self.name(self.index_name(entity, index.name, (*columns, *expressions), _LONGEST))  # type: ignore[attr-defined]
        nulls = " NULLS NOT DISTINCT" if isinstance(index, Unique) and not index.nulls_distinct else ""
        condition = f" WHERE {where}" if where else ""
        yield f"CREATE {unique}INDEX {name} ON {self.table(entity)} ({', '.join(of)}){nulls}{condition}"

    def _reference(self, entity: Entity, relation: Relation) -> str:
        name = self.index_name(entity, relation.constraint, relation.columns, _LONGEST) if relation.constraint else None
        full = " MATCH FULL" if relation.match_full else ""
        later = " DEFERRABLE" * relation.deferrable + " INITIALLY DEFERRED" * relation.initially_deferred
        sql = self.reference(relation, name)
        if full:
            head, arrow, rules = sql.partition(" ON ")
            sql = f"{head}{full}{arrow}{rules}"
        return f"ALTER TABLE {self.table(entity)} ADD {sql}{later}"


def _word(spelled: str | None) -> str:
    """The first word of a type's spelling, without its schema."""
    found = re.match(r'\s*(?:"?\w+"?\s*\.\s*)?"?(\w+)"?', spelled or "")
    return found[1].lower() if found else ""
