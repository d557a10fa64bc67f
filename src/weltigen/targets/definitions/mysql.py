"""Tables in MariaDB and MySQL, whose definitions are committed one by one."""

from __future__ import annotations

import re
from collections.abc import Iterator

from ...model import Entity, Field, Relation, TypeName
from ...model.types import TEXTS, FieldType
from ...stored.names import literal
from .definition import Definer, Definition, Extra, plain_rules

_KEYED = 255  # characters of a text that is part of a key: keys have at most 3,072 bytes
_LONGEST = 64  # characters of a name
_BITS = re.compile(r"(?i)\b(text|blob|json|geometry|point|linestring|polygon)\b")
# functions that a check may not call where the server is not the model's own
_NOT_THERE = re.compile(r"(?i)~|\b(SIMILAR TO|DATE_TRUNC|TO_TIMESTAMP|ARRAY|ILIKE|SPLIT_PART|GENERATE_SERIES|GLOB)\b")


class MysqlDefiner(Definer):
    dialect = sqlglot = "mysql"

    def definition(self, entity: Entity) -> Definition:
        lines, bare, extras, left = [], [], [], list[str]()
        rules = list(self._keys(entity, left))
        for field in entity.fields:
            line, ending = self._column(entity, field, left)
            default = self.default(field)
            if field.default is not None and default is None and not field.identity:
                left.append(f"{entity.name}.{field.name}: default {field.default}")
            if default is not None:
                default = f"({default})" if _BITS.search(self.type_of(entity, field)) and not default.startswith("(") else default
                sql = f"ALTER TABLE {self.table(entity)} ALTER COLUMN {self.name(field.name)} SET DEFAULT {default}"
                extras.append(Extra(sql=sql, words=f"{entity.name}.{field.name}: default {field.default}"))
            bare.append(line + ending)
            lines.append(f"{line}{ending} DEFAULT {default}" if default is not None else line + ending)
        for condition, words in self._conditions(entity):
            if condition is None:
                left.append(words)
                continue
            lines.append(f"CHECK ({condition})")
            extras.append(Extra(sql=f"ALTER TABLE {self.table(entity)} ADD CHECK ({condition})", words=words))
        references, loose = self.kept(entity)
        return Definition(
            entity=entity.name, table=self.table(entity), create=self._create(entity, lines + rules),
            bare=self._create(entity, bare + rules), extras=tuple(extras), keys=tuple(self._indexes(entity, left)),
            references=tuple(self._reference(entity, relation) for relation in references), left_out=(*left, *loose),
        )  # fmt: skip

    def _create(self, entity: Entity, lines: list[str]) -> str:
        # other databases tell cases apart where texts must differ
        exactly = "" if self.same else " COLLATE=utf8mb4_bin"
        return (
            f"CREATE TABLE {self.table(entity)} (\n  "
            + ",\n  ".join(lines)
            + f"\n) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4{exactly}"
        )

    def _column(self, entity: Entity, field: Field, left: list[str]) -> tuple[str, str]:
        parts = [self.name(field.name), self.type_of(entity, field)]
        if field.collation is not None and self.same and re.fullmatch(r"\w+", field.collation) and "_" in field.collation:
            parts += [f"CHARACTER SET {field.collation.partition('_')[0]} COLLATE {field.collation}"]
        if field.generated is not None:
            expression = self.expression(field.generated, self.world.dialect)
            if expression is not None and not (not self.same and _NOT_THERE.search(expression)):
                return " ".join([*parts, f"GENERATED ALWAYS AS ({expression}) STORED"]), ""
            left.append(f"{entity.name}.{field.name}: how it is computed ({field.generated})")
            return " ".join([*parts, "NULL"]), ""
        ending = " NOT NULL" if not field.nullable else " NULL"
        if self.counts_up(field) and self._leads(entity, field):
            ending += " AUTO_INCREMENT"
        return " ".join(parts), ending

    def _leads(self, entity: Entity, field: Field) -> bool:
        """One column alone counts up, and a key begins with it."""
        first = next(f.name for f in entity.fields if self.counts_up(f))
        return first == field.name and any(rule.columns[0] == field.name for rule in entity.unique_rules)

    def type_of(self, entity: Entity, field: Field) -> str:
        of = field.type.stored
        word = re.match(r"\w+", (of.spelled or of.declared or "").lower())
        if self.same and of.spelled and word is not None and word[0] not in ("serial",):
            return of.spelled
        if self.same and of.declared == "bigint unsigned":
            return of.declared
        if self.same and word is not None and word[0] == "serial":
            return "bigint unsigned"
        return self._type(of, self._in_a_key(entity, field))

    def _in_a_key(self, entity: Entity, field: Field) -> bool:
        keyed = {c for rule in (*entity.unique_rules, *entity.special_rules) for c in rule.columns}
        keyed |= {c for index in entity.indexes for c in index.columns} | {c for r in entity.relations for c in r.columns}
        return field.name in keyed | self.world.columns_referred_to(entity.name)

    def _type(self, of: FieldType, keyed: bool) -> str:
        match of.name:
            case TypeName.NUMERIC:
                precision, scale = of.digits
                return f"decimal({precision},{min(scale, 30)})"
            case TypeName.DOUBLE | TypeName.REAL:
                return "double"  # a float shows six digits of what it holds
            case TypeName.TEXT if keyed or (of.length is not None and of.length < 16_000):
                return f"varchar({of.length or _KEYED})"
            case TypeName.VARCHAR if (of.length or 0) > 16_000:
                return "longtext"
            case TypeName.CHAR if (of.length or 1) > 255:
                return f"varchar({of.length})"
            case TypeName.BYTEA if keyed or (of.length is not None and of.length < 16_000):
                return f"varbinary({of.length or _KEYED})"
            case TypeName.BIT if of.length is not None and of.length <= 64:
                return f"bit({of.length})"
            case TypeName.ENUM if of.values:
                return f"enum({', '.join(literal(value, self.dialect) for value in of.values)})"
            case _:
                return _TYPES.get(of.name) or (str(of) if of.name not in _TEXTS_HERE else _TEXTS_HERE[of.name](keyed))

    def _conditions(self, entity: Entity) -> Iterator[tuple[str | None, str]]:
        for check, expression in self.checks(entity):
            foreign = not self.same and (_NOT_THERE.search(check.expression) or _NOT_THERE.search(expression or ""))
            yield None if foreign else expression, f"{entity.name}: {check}"
        for field in entity.fields:
            if not self.same and (limits := self.limits(field)) is not None:
                yield limits, f"{entity.name}.{field.name}: {limits}"

    def _keys(self, entity: Entity, left: list[str]) -> Iterator[str]:
        if entity.key:
            yield f"PRIMARY KEY ({self._parts(entity, entity.key)})"
        for rule in plain_rules(entity):
            if not rule.nulls_distinct:
                left.append(f"{entity.name}: {rule}")
                continue
            name = self.name(self._index_name(entity, rule.name, rule.columns))
            yield f"UNIQUE KEY {name} ({self._parts(entity, rule.columns)})"
        left += [f"{entity.name}: {rule}" for rule in entity.special_rules if rule.where or not self.same]

    def _parts(self, entity: Entity, columns: tuple[str, ...]) -> str:
        """Columns of a key; of texts and bytes without a length the beginnings."""
        parts = []
        for column in columns:
            field = entity.field(column)
            long = self.same and _BITS.search((field.type.spelled or "").lower()) and field.type.name in (*TEXTS, TypeName.BYTEA)
            parts.append(f"{self.name(column)}({_KEYED})" if long else self.name(column))
        return ", ".join(parts)

    def _indexes(self, entity: Entity, left: list[str]) -> Iterator[str]:
        for rule in entity.special_rules:
            if self.same and not rule.where:
                of = [*map(self.name, rule.columns), *(f"({text})" for text in rule.expressions)]
                name = self._index_name(entity, rule.name, (*rule.columns, *rule.expressions))
                yield f"CREATE UNIQUE INDEX {self.name(name)} ON {self.table(entity)} ({', '.join(of)})"
        for index in entity.indexes:
            if index.columns and not index.expressions and not index.where:
                name = self.name(self._index_name(entity, index.name, index.columns))
                yield f"CREATE INDEX {name} ON {self.table(entity)} ({self._parts(entity, index.columns)})"

    def _index_name(self, entity: Entity, name: str | None, columns: tuple[str, ...]) -> str:
        self._names = {taken for taken in self._names if taken.startswith(f"{entity.name} ")}  # each table has names of its own
        found = self.index_name(entity, name, columns, _LONGEST)
        self._names = {*self._names, f"{entity.name} {found.casefold()}"}
        return found

    def _reference(self, entity: Entity, relation: Relation) -> str:
        return f"ALTER TABLE {self.table(entity)} ADD {self.reference(relation, None)}"


_TYPES = {
    TypeName.TEXT: "longtext", TypeName.TIME: "time(6)", TypeName.TIMESTAMP: "datetime(6)", TypeName.TIMESTAMPTZ: "datetime(6)",
    TypeName.UUID: "char(36)", TypeName.JSON: "json", TypeName.BYTEA: "longblob", TypeName.INTERVAL: "varchar(64)",
    TypeName.INET: "varchar(64)", TypeName.MACADDR: "varchar(32)", TypeName.BIT: "varchar(255)", TypeName.BOOLEAN: "tinyint(1)",
}  # fmt: skip
_TEXTS_HERE = {
    name: lambda keyed: f"varchar({_KEYED})" if keyed else "longtext"
    for name in (TypeName.ARRAY, TypeName.OTHER, TypeName.ENUM)
}  # fmt: skip
