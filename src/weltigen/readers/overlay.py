"""Putting a world file's wishes over a declared model: every name and literal is checked here, with its place."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace
from typing import Any

from ..expression import NotEvaluableError, parse
from ..model import (
    EVEN,
    Allowed,
    Bound,
    Check,
    ConstSource,
    Entity,
    Favour,
    Field,
    FieldType,
    KindSource,
    Limits,
    PatternSource,
    PerOwner,
    Present,
    Problem,
    Relation,
    RowCount,
    ShapeSource,
    Source,
    TypeName,
    Unique,
    WeightsSource,
    World,
)
from ..model.literals import read_literal, read_share
from ..model.problems import UsageError, nearest
from ..values import get_kind
from .drafts import name_relations
from .grammar import CountPart, EntityPart, FavourPart, FieldPart, ReferencePart
from .sql_types import parse_type
from .yaml_tree import Path, Tree

SHAPES = {"even": (), "normal": ("mean", "sd"), "skewed": ("median", "p95"), "exponential": ("mean",)}
_SOURCES = ("kind", "const", "pattern", "weights", "shape")


class Overlay:
    """Applies the parts of one file to a world; `problems` collects what does not fit."""

    def __init__(self, world: World, tree: Tree) -> None:
        self.world, self.tree = world, tree
        self.problems: list[Problem] = []

    def problem(self, path: Path, fact: str, hint: str | None = None, *, value: bool = False) -> None:
        place = self.tree.value_place(path) if value else self.tree.place(path)
        self.problems.append(Problem(fact=fact, place=place, hint=hint))

    def apply(self, parts: dict[str, EntityPart]) -> World:
        """The world with every part applied. Entities and references are declared first, so order does not matter."""
        folded = {name.lower(): name for name in self.world.entity_names}
        by_name = {entity.name: entity for entity in self.world.entities}
        spelled = {}
        for name, part in parts.items():
            spelled[name] = folded.get(name.lower(), name)
            if spelled[name] in by_name:
                continue
            if part.key or any(f.type for f in part.fields.values()):
                place = self.tree.place(("entities", name))
                by_name[name] = Entity(name=name, fields=(), place=place)
            else:
                hint = nearest(name, self.world.entity_names) or "declare it: give its fields types"
                self.problem(("entities", name), f"entities.{name}: no entity of that name in the model", hint)
        known = {name: part for name, part in parts.items() if spelled[name] in by_name}
        for name, part in known.items():
            by_name[spelled[name]] = self._declare(by_name[spelled[name]], part, ("entities", name))
        for name, part in known.items():
            by_name[spelled[name]] = self._declare_references(by_name[spelled[name]], part, ("entities", name), by_name)
        self.world = replace(self.world, entities=tuple(by_name.values()))
        for name, part in known.items():
            by_name[spelled[name]] = self._wishes(by_name[spelled[name]], part, ("entities", name))
        return replace(self.world, entities=tuple(by_name.values()))

    def _declare(self, entity: Entity, part: EntityPart, path: Path) -> Entity:
        """Fields, key and unique rules that only this file declares."""
        fields = list(entity.fields)
        for name, wish in part.fields.items():
            here = (*path, "fields", name)
            if entity.has(name):
                if wish.type:
                    self.problem((*here, "type"), f"{entity.name}.{name} has a type already: {entity.field(name).type}")
            elif wish.type is None:
                self.problem(here, f"{_dotted(path)}.fields.{name}: no field of that name", nearest(name, entity.field_names))
            else:
                try:
                    kind = parse_type(wish.type)
                except ValueError as error:
                    self.problem((*here, "type"), str(error), "as in: integer, numeric(10,2), varchar(60), date, timestamptz, uuid")
                    continue
                nullable = wish.null is not False and name not in (part.key or ())
                fields.append(Field(name=name, type=kind, nullable=nullable, default=wish.default, place=self.tree.place(here)))
        uniques = list(entity.uniques)
        uniques += [Unique(columns=tuple(columns), place=self.tree.place((*path, "unique", i))) for i, columns in enumerate(part.unique)]
        for name, wish in part.fields.items():
            if wish.unique and not any(rule.columns == (name,) for rule in entity.unique_rules):
                uniques.append(Unique(columns=(name,), place=self.tree.place((*path, "fields", name, "unique"))))
        return replace(entity, fields=tuple(fields), key=tuple(part.key) if part.key else entity.key, uniques=tuple(uniques))

    def _declare_references(self, entity: Entity, part: EntityPart, path: Path, known: dict[str, Entity]) -> Entity:
        relations, fields = list(entity.relations), list(entity.fields)
        for name, wish in part.references.items():
            if wish.to is None:
                continue
            here = (*path, "references", name)
            target = known.get(wish.to)
            if target is None:
                self.problem((*here, "to"), f"{_dotted(here)}: no entity '{wish.to}'", nearest(wish.to, tuple(known)), value=True)
                continue
            columns = tuple(wish.columns or (f"{name}_id",))
            if len(columns) != len(target.key):
                self.problem(here, f"{_dotted(here)}: {len(columns)} columns cannot hold {wish.to}'s key ({', '.join(target.key)})")
                continue
            for column, key in zip(columns, target.key, strict=True):
                if not any(f.name == column for f in fields):
                    nullable = wish.present is not None
                    fields.append(Field(name=column, type=target.field(key).type, nullable=nullable, place=self.tree.place(here)))
            relations.append(Relation(name=name, entity=entity.name, columns=columns, target=target.name,
                                      target_columns=target.key, place=self.tree.place(here)))  # fmt: skip
        entity = replace(entity, relations=name_relations(relations), fields=tuple(fields))
        for rule, columns, place_path in [("key", entity.key, "key"), *((str(u), u.columns, "unique") for u in entity.uniques)]:
            for column in columns:
                if not entity.has(column):
                    self.problem((*path, place_path), f"{entity.name}: {rule} names '{column}', which is no field", nearest(column, entity.field_names))
        return entity

    def _wishes(self, entity: Entity, part: EntityPart, path: Path) -> Entity:
        relations = {relation.name: relation for relation in entity.relations}
        for name, wish in part.references.items():
            found = find_relation(entity, name)
            if found is None:
                self.problem((*path, "references", name), f"{_dotted(path)}.references.{name}: no relationship of that name", _refers_to(entity, name))
            else:
                relations[found.name] = self._reference(entity, relations[found.name], wish, (*path, "references", name))
        fields = [
            self._field(entity, f, part.fields[f.name], (*path, "fields", f.name)) if f.name in part.fields else f
            for f in entity.fields
        ]
        checks = list(entity.checks)
        for number, text in enumerate(part.checks):
            here = (*path, "checks", number)
            if self._expression(entity, text, here):
                checks.append(Check(expression=text, place=self.tree.place(here)))
        if part.label is not None:
            self._expression(entity, part.label, (*path, "label"))
        return replace(
            entity, rows=self._rows(entity, part.rows, (*path, "rows")), fields=tuple(fields), checks=tuple(checks),
            relations=tuple(relations.values()), label=part.label or entity.label,
            fixed=self._fixed(entity, part.fixed, (*path, "fixed")),
        )  # fmt: skip

    def _rows(self, entity: Entity, rows: Any, path: Path) -> RowCount | PerOwner | None:
        if rows is None:
            return entity.rows
        place = self.tree.place(path)
        if not isinstance(rows, CountPart):
            return RowCount(number=rows, place=place)
        owner = find_relation(entity, rows.per)
        if owner is None:
            self.problem((*path, "per"), f"{entity.name} does not refer to '{rows.per}'", _refers_to(entity, rows.per), value=True)
            return None
        count = PerOwner(per=owner.name, each=rows.each, mean=rows.mean, least=rows.least, most=rows.most, none=rows.none, place=place)
        if count.each is not None and (rows.mean is not None or rows.least is not None or rows.most is not None):
            self.problem((*path, "each"), "`each` is exact: it stands without mean, least and most")
        if count.lowest > count.highest:
            self.problem(path, f"at least {count.lowest} and at most {count.highest} rows for each {rows.per}: none can be both")
        return count

    def _fixed(self, entity: Entity, fixed: Any, path: Path) -> tuple[tuple[tuple[str, str | None], ...], ...]:
        if fixed is None:
            return entity.fixed
        out = []
        for number, row in enumerate(fixed):
            for name, text in row.items():
                here = (*path, number, name)
                if not entity.has(name):
                    self.problem(here, f"{entity.name} has no field '{name}'", nearest(name, entity.field_names))
                elif text is not None:
                    self._literal(entity.field(name).type, text, here)
                elif not entity.field(name).nullable:
                    self.problem(here, f"{entity.name}.{name} must not be null")
            out.append(tuple(row.items()))
        return tuple(out)

    def _reference(self, entity: Entity, relation: Relation, wish: ReferencePart, path: Path) -> Relation:
        favour = relation.favour
        if isinstance(wish.favour, FavourPart):
            favour = Favour(few=wish.favour.few, take=wish.favour.take)
            if not 0 < favour.few <= favour.take <= 1:
                self.problem((*path, "favour"), f"few ({favour.few:.0%}) can take no less than their own share ({favour.take:.0%})")
        elif wish.favour is not None:
            favour = EVEN
            if wish.favour != "even":
                self.problem((*path, "favour"), f"'{wish.favour}' is no way to favour", "write even, or {few: 20%, take: 50%}", value=True)
        unlike = relation.unlike
        if wish.unlike is not None:
            other = find_relation(entity, wish.unlike)
            if other is None or other.target != relation.target:
                self.problem((*path, "unlike"), f"'{wish.unlike}' is no other reference to {relation.target}", _refers_to(entity, wish.unlike), value=True)
            else:
                unlike = other.name
        present = self._present(entity, wish.present, (*path, "present"))
        return replace(relation, favour=favour, unlike=unlike, present=present or relation.present)

    def _field(self, entity: Entity, field: Field, wish: FieldPart, path: Path) -> Field:
        given = [name for name in _SOURCES if getattr(wish, name) is not None]
        if len(given) > 1:
            self.problem((*path, given[1]), f"{entity.name}.{field.name} has two sources: {given[0]} and {given[1]}", "keep one of them")
        source = self._source(field, wish, path) or field.source
        limits = self._limits(entity, field, wish, path)
        present = self._present(entity, wish.present, (*path, "present"))
        if wish.present is not None and not field.nullable:
            self.problem((*path, "present"), f"{entity.name}.{field.name} must not be null, so it is always present")
        secret = field.secret if wish.secret is None else wish.secret
        return replace(field, source=source, limits=limits, present=present or field.present, secret=secret)

    def _source(self, field: Field, wish: FieldPart, path: Path) -> Source | None:
        if wish.kind is not None:
            return self._kind(field, wish.kind, (*path, "kind"))
        if wish.const is not None:
            self._literal(field.type, wish.const, (*path, "const"))
            return ConstSource(value=wish.const, place=self.tree.place((*path, "const")))
        if wish.pattern is not None:
            return PatternSource(pattern=wish.pattern, place=self.tree.place((*path, "pattern")))
        if wish.weights is not None:
            here = (*path, "weights")
            for text in wish.weights:
                self._literal(field.type, text, (*here, text), key=True)
            if not sum(wish.weights.values()):
                self.problem(here, "no value has a weight above 0")
            return WeightsSource(weights=tuple(wish.weights.items()), place=self.tree.place(here))
        if wish.shape is not None:
            return self._shape(wish.shape, (*path, "shape"))
        return None

    def _kind(self, field: Field, kind: Any, path: Path) -> Source | None:
        name, parameters = (kind, {}) if isinstance(kind, str) else next(iter(kind.items()), ("", {}))
        if not isinstance(kind, str) and len(kind) != 1:
            self.problem(path, "one kind is named here, with its parameters: {NAME: {PARAMETER: VALUE}}")
            return None
        try:
            known = get_kind(name)
        except UsageError as error:
            self.problem(path, f"{_dotted(path[:-1])}: {error.problems[0].fact}", error.problems[0].hint, value=True)
            return None
        for parameter in parameters:
            if parameter not in known.parameters:
                hint = nearest(parameter, known.parameters) or f"{name} has no parameters"
                self.problem((*path, name, parameter), f"kind {name} has no parameter '{parameter}'", hint)
        if field.type.name not in known.suits and field.type.name is not TypeName.OTHER:
            self.problem(path, f"kind {name} cannot fill {field.name}, which is {field.type}", value=True)
        return KindSource(kind=name, parameters=tuple(parameters.items()), place=self.tree.place(path))

    def _shape(self, shape: Any, path: Path) -> Source | None:
        name, parameters = (shape, {}) if isinstance(shape, str) else next(iter(shape.items()), ("", {}))
        if name not in SHAPES:
            self.problem(path, f"no shape is called '{name}'", nearest(name, tuple(SHAPES)), value=True)
            return None
        if set(parameters) != set(SHAPES[name]):
            self.problem(path, f"shape {name} takes: {', '.join(SHAPES[name]) or 'nothing'}")
            return None
        if name == "skewed" and not 0 < parameters["median"] < parameters["p95"]:
            self.problem(path, "shape skewed needs 0 < median < p95")
            return None
        return ShapeSource(shape=name, parameters=tuple(parameters.items()), place=self.tree.place(path))

    def _limits(self, entity: Entity, field: Field, wish: FieldPart, path: Path) -> Limits:
        limits = field.limits
        bounds = list(limits.bounds)
        comparisons = (("minimum", ">="), ("maximum", "<="), ("exclusive_minimum", ">"), ("exclusive_maximum", "<"),
                       ("after", ">"), ("before", "<"))  # fmt: skip
        for key, comparison in comparisons:
            text = getattr(wish, key)
            if text is None:
                continue
            alias = FieldPart.model_fields[key].alias or key
            here = (*path, alias)
            is_path = self._is_path(entity, field, text, here)
            within = wish.within if is_path and key in ("after", "before") else None
            bounds.append(Bound(comparison=comparison, operand=text, path=is_path, within=within,  # type: ignore[arg-type]
                                place=self.tree.place(here), because=f"{alias} {text}"))  # fmt: skip
        if wish.within is not None and not any(bound.within for bound in bounds):
            self.problem((*path, "within"), "`within` bounds the distance to the field named by after or before", "add one of them")
        allowed = list(limits.allowed)
        if wish.enum is not None:
            for number, text in enumerate(wish.enum):
                self._literal(field.type, text, (*path, "enum", number))
            allowed.append(Allowed(values=tuple(wish.enum), place=self.tree.place((*path, "enum")), because="enum"))
        if wish.multiple_of is not None:
            self._literal(field.type, wish.multiple_of, (*path, "multipleOf"))
        return Limits(
            bounds=tuple(bounds), allowed=tuple(allowed), patterns=limits.patterns,
            multiple_of=wish.multiple_of or limits.multiple_of,
            min_length=wish.min_length if wish.min_length is not None else limits.min_length,
            max_length=wish.max_length if wish.max_length is not None else limits.max_length,
        )  # fmt: skip

    def _is_path(self, entity: Entity, field: Field, text: str, path: Path) -> bool:
        """Whether a bound names a cell; what is neither a cell nor a literal is a problem."""
        try:
            read_literal(text, field.type)
            return False
        except ValueError as error:
            reason = str(error)
        if text.replace("_", "").replace(".", "").isalnum() and not text[0].isdigit():
            return self._path(entity, text, path)
        self.problem(path, f"{_dotted(path)}: {reason}", "a value, a field, or a field of a row referred to (sailing.departs_at)", value=True)
        return False

    def _path(self, entity: Entity, text: str, path: Path) -> bool:
        head, _, rest = text.rpartition(".")
        target = entity
        if head:
            relation = find_relation(entity, head)
            if relation is None:
                self.problem(path, f"{_dotted(path)}: {entity.name} refers to no '{head}'", _refers_to(entity, head), value=True)
                return False
            target = self.world.entity(relation.target)
        if not target.has(rest):
            self.problem(path, f"{_dotted(path)}: {target.name} has no field '{rest}'", nearest(rest, target.field_names), value=True)
            return False
        return True

    def _present(self, entity: Entity, text: str | None, path: Path) -> Present | None:
        if text is None:
            return None
        place = self.tree.place(path)
        if text[:1].isdigit() or text.startswith(("-", "+", ".")):
            try:
                return Present(share=read_share(text), place=place)
            except ValueError as error:
                self.problem(path, str(error), value=True)
                return None
        return Present(when=text, place=place) if self._expression(entity, text, path) else None

    def _expression(self, entity: Entity, text: str, path: Path) -> bool:
        try:
            expression = parse(text)
        except NotEvaluableError as error:
            self.problem(path, str(error), value=True)
            return False
        found: Callable[[str], bool] = lambda name: self._path(entity, name, path)  # noqa: E731
        return all([found(name) for name in expression.paths])

    def _literal(self, kind: FieldType, text: str, path: Path, *, key: bool = False) -> None:
        try:
            read_literal(text, kind)
        except ValueError as error:
            self.problem(path, f"{_dotted(path if not key else path[:-1])}: {error}", value=not key)


def find_relation(entity: Entity, name: str) -> Relation | None:
    """By its name, or by its target or its column where only one relation has that."""
    for relation in entity.relations:
        if relation.name == name:
            return relation
    fitting = [r for r in entity.relations if r.target == name or r.columns == (name,)]
    return fitting[0] if len(fitting) == 1 else None


def _refers_to(entity: Entity, word: str) -> str:
    names: Sequence[str] = tuple(relation.name for relation in entity.relations)
    if not names:
        return f"{entity.name} refers to nothing"
    near = nearest(word, names) or ""
    listed = f"{entity.name} refers to: {', '.join(names)}"
    return f"{near}  ({listed})" if near.startswith("did") else listed


def _dotted(path: Path) -> str:
    parts = path[1:] if path and path[0] == "entities" else path
    return ".".join(str(part) for part in parts)
