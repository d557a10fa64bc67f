"""Wishes for single fields: where values come from, and what limits them. Names and literals are checked with their places."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace
from typing import Any

from ..expression import NotEvaluableError, parse
from ..model import (
    Allowed,
    Bound,
    ConstSource,
    Entity,
    Field,
    FieldType,
    KindSource,
    Limits,
    PatternSource,
    Present,
    Problem,
    Relation,
    ShapeSource,
    Source,
    TypeName,
    WeightsSource,
    World,
)
from ..model.literals import read_literal, read_share, read_stored
from ..model.problems import UsageError, nearest
from ..values import get_kind
from .grammar import FieldPart
from .yaml_tree import Path, Tree

SHAPES = {"even": (), "normal": ("mean", "sd"), "skewed": ("median", "p95"), "exponential": ("mean",)}
_SOURCES = ("kind", "const", "pattern", "weights", "shape")


class Wishes:
    """Reads the parts of one file that are about fields; `problems` collects what does not fit."""

    def __init__(self, world: World, tree: Tree) -> None:
        self.world, self.tree = world, tree
        self.problems: list[Problem] = []

    def problem(self, path: Path, fact: str, hint: str | None = None, *, value: bool = False) -> None:
        place = self.tree.value_place(path) if value else self.tree.place(path)
        self.problems.append(Problem(fact=fact, place=place, hint=hint))

    def field(self, entity: Entity, field: Field, wish: FieldPart, path: Path) -> Field:
        given = [name for name in _SOURCES if getattr(wish, name) is not None]
        if len(given) > 1:
            self.problem(
                (*path, given[1]),
                f"{entity.name}.{field.name} has two sources: {given[0]} and {given[1]}",
                "keep one of them",
            )
        source = self._source(field, wish, path) or field.source
        limits = self._limits(entity, field, wish, path)
        present = self.present(entity, wish.present, (*path, "present"))
        if wish.present is not None and not field.nullable:
            self.problem((*path, "present"), f"{entity.name}.{field.name} must not be null, so it is always present")
        secret = field.secret if wish.secret is None else wish.secret
        return replace(field, source=source, limits=limits, present=present or field.present, secret=secret)

    def _source(self, field: Field, wish: FieldPart, path: Path) -> Source | None:
        if wish.kind is not None:
            return self._kind(field, wish.kind, (*path, "kind"))
        if wish.const is not None:
            self.literal(field.type, wish.const, (*path, "const"))
            return ConstSource(value=wish.const, place=self.tree.place((*path, "const")))
        if wish.pattern is not None:
            return PatternSource(pattern=wish.pattern, place=self.tree.place((*path, "pattern")))
        if wish.weights is not None:
            here = (*path, "weights")
            for text in wish.weights:
                self.literal(field.type, text, (*here, text), key=True)
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
            self.problem(path, f"{dotted(path[:-1])}: {error.problems[0].fact}", error.problems[0].hint, value=True)
            return None
        for parameter in parameters:
            if parameter not in known.parameters:
                hint = nearest(parameter, known.parameters) or f"{name} has no parameters"
                self.problem((*path, name, parameter), f"kind {name} has no parameter '{parameter}'", hint)
        if field.type.name not in known.suits and field.type.name is not TypeName.OTHER:
            self.problem(path, f"kind {name} cannot fill {field.name}, which is {field.type}", value=True)
        return KindSource(kind=name, parameters=tuple(parameters.items()), place=self.tree.place(path))

    def _shape(self, shape: Any, path: Path) -> Source | None:
        given: dict[str, dict[str, float]] = {shape: {}} if isinstance(shape, str) else shape
        name, parameters = next(iter(given.items()), ("", {}))
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
            self.problem(
                (*path, "within"),
                "`within` bounds the distance to the field named by after or before",
                "add one of them",
            )
        allowed = list(limits.allowed)
        if wish.enum is not None:
            for number, text in enumerate(wish.enum):
                self.literal(field.type, text, (*path, "enum", number))
            allowed.append(Allowed(values=tuple(wish.enum), place=self.tree.place((*path, "enum")), because="enum"))
        if wish.multiple_of is not None:
            self.literal(field.type, wish.multiple_of, (*path, "multipleOf"))
        return replace(
            limits, bounds=tuple(bounds), allowed=tuple(allowed),
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
        self.problem(
            path,
            f"{dotted(path)}: {reason}",
            "a value, a field, or a field of a row referred to (sailing.departs_at)",
            value=True,
        )
        return False

    def _path(self, entity: Entity, text: str, path: Path) -> bool:
        head, _, rest = text.rpartition(".")
        target = entity
        if head:
            relation = find_relation(entity, head)
            if relation is None:
                self.problem(path, f"{dotted(path)}: {entity.name} refers to no '{head}'", refers_to(entity, head), value=True)
                return False
            target = self.world.entity(relation.target)
        if not target.has(rest):
            self.problem(
                path,
                f"{dotted(path)}: {target.name} has no field '{rest}'",
                nearest(rest, target.field_names),
                value=True,
            )
            return False
        return True

    def present(self, entity: Entity, text: str | None, path: Path) -> Present | None:
        if text is None:
            return None
        place = self.tree.place(path)
        if text[:1].isdigit() or text.startswith(("-", "+", ".")):
            try:
                return Present(share=read_share(text), place=place)
            except ValueError as error:
                self.problem(path, str(error), value=True)
                return None
        return Present(when=text, place=place) if self.expression(entity, text, path) else None

    def expression(self, entity: Entity, text: str, path: Path) -> bool:
        try:
            expression = parse(text)
        except NotEvaluableError as error:
            self.problem(path, str(error), value=True)
            return False
        found: Callable[[str], bool] = lambda name: self._path(entity, name, path)  # noqa: E731
        return all(found(name) for name in expression.paths)

    def literal(self, kind: FieldType, text: str, path: Path, *, key: bool = False) -> None:
        """A value that is to be stored in a field."""
        try:
            read_stored(text, kind)
        except ValueError as error:
            self.problem(path, f"{dotted(path if not key else path[:-1])}: {error}", value=not key)


def find_relation(entity: Entity, name: str) -> Relation | None:
    """By its name, or by its target or its column where only one relation has that."""
    for relation in entity.relations:
        if relation.name == name:
            return relation
    fitting = [r for r in entity.relations if r.target == name or r.columns == (name,)]
    return fitting[0] if len(fitting) == 1 else None


def refers_to(entity: Entity, word: str) -> str:
    names: Sequence[str] = tuple(relation.name for relation in entity.relations)
    if not names:
        return f"{entity.name} refers to nothing"
    near = nearest(word, names) or ""
    listed = f"{entity.name} refers to: {', '.join(names)}"
    return f"{near}  ({listed})" if near.startswith("did") else listed


def dotted(path: Path) -> str:
    parts = path[1:] if path and path[0] == "entities" else path
    return ".".join(str(part) for part in parts)
