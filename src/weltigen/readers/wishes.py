"""Wishes for single fields: where values come from, and what limits them. Names and literals are checked with their places."""

from __future__ import annotations

import json
import re
import warnings
from collections.abc import Sequence
from dataclasses import replace
from datetime import timedelta
from itertools import pairwise
from typing import Any

from ..model import (
    Allowed,
    Bound,
    Case,
    CasesSource,
    ComputeSource,
    ConstSource,
    Disturbed,
    Entity,
    Field,
    Follow,
    KindSource,
    Limits,
    Numbering,
    PatternSource,
    Present,
    ShapeSource,
    Source,
    TypeName,
    WeightsSource,
)
from ..model.literals import read_literal, read_span
from ..model.origins import Origin
from ..model.paths import field_at, resolve_path
from ..model.problems import UsageError, nearest
from ..model.types import INTEGERS, MOMENTS, NUMBERS, ORDERED, TEXTS
from ..values import SPOKEN, get_kind
from ..values.json_shapes import ShapeError, read_shape
from .field_sections import FieldSection
from .understanding import Understanding, dotted
from .yaml_tree import Path

MOST_GAPS = 0.9
SHAPES = {
    "even": (), "normal": ("mean", "sd"), "skewed": ("median", "p95"), "exponential": ("mean",),
    "triangular": ("low", "peak", "high"), "humps": ("first", "second", "sd", "share"), "zipf": ("exponent", "most"),
    "quantiles": ("a list of numbers",), "steps": ("weights by where each step begins",),
}  # fmt: skip
_SOURCES = ("kind", "const", "compute", "pattern", "weights", "shape", "properties", "items")


class Wishes(Understanding):
    """Reads the parts of one file that are about fields."""

    def field(self, entity: Entity, field: Field, wish: FieldSection, path: Path) -> Field:
        given = [name for name in _SOURCES if getattr(wish, name) is not None]
        if len(given) > 1:
            self.problem(
                (*path, given[1]),
                f"{entity.name}.{field.name} has two sources: {given[0]} and {given[1]}",
                "keep one of them",
            )
        source = self._source(entity, field, wish, path) or field.source
        limits = self._limits(entity, field, wish, path)
        present = self.present(entity, wish.present, (*path, "present"))
        if "const" in wish.model_fields_set and wish.const is None:
            if not field.nullable:
                self.problem((*path, "const"), f"{entity.name}.{field.name} must not be null", value=True)
            present = Present(share=0.0, place=self.tree.place((*path, "const")))
        if wish.present is not None and not field.nullable:
            self.problem((*path, "present"), f"{entity.name}.{field.name} must not be null, so it is always present")
        secret = field.secret if wish.secret is None else wish.secret
        follows = self._follows(entity, field, wish, path)
        numbering = self._numbering(entity, field, wish, path, given)
        return replace(
            field, source=source, limits=limits, present=present or field.present, secret=secret, follows=follows,
            numbering=numbering, disturbed=self._disturbed(field, wish, path),
        )  # fmt: skip

    def _disturbed(self, field: Field, wish: FieldSection, path: Path) -> Disturbed | None:
        if wish.noise is None and wish.extremes is None:
            return field.disturbed
        here = (*path, "noise" if wish.noise is not None else "extremes")
        shares = wish.noise or 0.0, wish.extremes or 0.0
        if sum(shares) > 1:
            self.problem(
                here, f"{sum(shares):.0%} of the values would be disturbed", "noise and extremes are parts of all values"
            )
        return Disturbed(noise=shares[0], extremes=shares[1], place=self.tree.place(here))

    def _numbering(self, entity: Entity, field: Field, wish: FieldSection, path: Path, given: list[str]) -> Numbering | None:
        if wish.start is None and wish.gaps is None:
            return field.numbering
        here = (*path, "start" if wish.start is not None else "gaps")
        refers = next((relation for relation in entity.relations if field.name in relation.columns), None)
        if field.type.name not in INTEGERS or refers is not None or given:
            why = f"refers to {refers.target}" if refers else f"has a source, {given[0]}" if given else f"is {field.type}"
            fact = f"{entity.name}.{field.name} {why}: only whole numbers that nothing else fills count up"
            self.problem(here, fact, f"leave out {here[-1]}")
        if wish.gaps is not None and wish.gaps > MOST_GAPS:
            self.problem((*path, "gaps"), f"at most {MOST_GAPS:.0%} of the numbers can be left out", value=True)
        return Numbering(start=wish.start, gaps=wish.gaps or 0.0, place=self.tree.place(here))

    def _source(self, entity: Entity, field: Field, wish: FieldSection, path: Path) -> Source | None:
        if wish.kind is not None:
            if isinstance(wish.kind, list):
                return self._cases(entity, wish.kind, (*path, "kind"), lambda of, here: self._kind(field, of, here))
            return self._kind(field, wish.kind, (*path, "kind"))
        if wish.const is not None:
            self.literal(field.type, wish.const, (*path, "const"))
            return ConstSource(value=wish.const, place=self.tree.place((*path, "const")))
        if wish.compute is not None:
            here = (*path, "compute")
            if not self.expression(entity, wish.compute, here):
                return None
            return ComputeSource(expression=wish.compute, place=self.tree.place(here))
        if wish.pattern is not None:
            try:
                with warnings.catch_warnings(action="ignore"):
                    re.compile(wish.pattern)
            except (re.error, RecursionError, OverflowError) as error:
                self.problem((*path, "pattern"), f"'{wish.pattern}' is not a regular expression: {error}", value=True)
            return PatternSource(pattern=wish.pattern, place=self.tree.place((*path, "pattern")))
        if wish.weights is not None:
            if isinstance(wish.weights, list):
                return self._cases(entity, wish.weights, (*path, "weights"), lambda of, here: self._weights(field, of, here))
            return self._weights(field, wish.weights, (*path, "weights"))
        if wish.properties is not None or wish.items is not None:
            return self._json(entity, field, wish, path)
        if wish.shape is not None:
            if isinstance(wish.shape, list):
                return self._cases(entity, wish.shape, (*path, "shape"), self._shape)
            return self._shape(wish.shape, (*path, "shape"))
        return None

    def _json(self, entity: Entity, field: Field, wish: FieldSection, path: Path) -> Source | None:
        """A shape in words of JSON Schema, kept as a parameter of the kind `json`."""
        first = "properties" if wish.properties is not None else "items"
        suits = get_kind("json").suits
        if field.type.name not in suits or (field.type.name is TypeName.ARRAY and first == "properties"):
            fact = f"{entity.name}.{field.name} is {field.type}, which holds no {'object' if first == 'properties' else 'list'}"
            self.problem((*path, first), fact)
            return None
        told = {"properties": wish.properties, "required": wish.required, "items": wish.items, "minItems": wish.min_items,
                "maxItems": wish.max_items}  # fmt: skip
        try:
            shape = read_shape({word: one for word, one in told.items() if one is not None})
        except ShapeError as error:
            self.problem((*path, *error.path), error.fact, error.hint)
            return None
        schema = ("schema", json.dumps(shape, ensure_ascii=False, default=str))
        return KindSource(kind="json", parameters=(schema,), place=self.tree.place((*path, first)))

    def _weights(self, field: Field, weights: dict[str, float], path: Path) -> WeightsSource:
        for text in weights:
            self.literal(field.type, text, (*path, text), key=True)
        if not sum(weights.values()):
            self.problem(path, "no value has a weight above 0")
        return WeightsSource(weights=tuple(weights.items()), place=self.tree.place(path))

    def _cases(self, entity: Entity, cases: Sequence[Any], path: Path, read: Any) -> CasesSource | None:
        """Sources by condition; only the last may be without one."""
        out: list[Case] = []
        for number, case in enumerate(cases):
            here = (*path, number)
            source = read(case.of, (*here, "of"))
            known = case.when is None or self.expression(entity, case.when, (*here, "when"))
            if case.when is None and number + 1 < len(cases):
                self.problem(here, "a case without `when` is for all other rows: it comes last")
            if source is not None and known:
                out.append(Case(source=source, when=case.when, place=self.tree.place(here)))
        if not cases:
            self.problem(path, "a list of cases is needed here, but this one is empty", "[{when: …, of: …}, {of: …}]")
        return CasesSource(cases=tuple(out), place=self.tree.place(path)) if len(out) == len(cases) and out else None

    def _follows(self, entity: Entity, field: Field, wish: FieldSection, path: Path) -> tuple[Follow, ...]:
        if wish.follows is None:
            return field.follows
        several = isinstance(wish.follows, list)
        said = wish.follows if several else [wish.follows]
        found: list[Follow] = []
        for number, one in enumerate(said):
            here = (*path, "follows", number) if several else (*path, "follows")
            if not entity.has(one.field) or one.field == field.name:
                why = "no field can follow itself" if one.field == field.name else f"{entity.name} has no field '{one.field}'"
                self.problem((*here, "field"), why, nearest(one.field, entity.field_names), value=True)
                return ()
            for named in (field, entity.field(one.field)):
                if named.type.name not in NUMBERS | MOMENTS:
                    fact = f"{entity.name}.{named.name} is {named.type}: only numbers, dates and times have ranks"
                    self.problem(here, fact)
                    return ()
            if any(one.field == before.field for before in found):
                self.problem((*here, "field"), f"{field.name} follows {one.field} already", value=True)
                return ()
            found.append(Follow(field=one.field, correlation=one.correlation, place=self.tree.place(here)))
        return tuple(found)

    def _kind(self, field: Field, kind: Any, path: Path) -> Source | None:
        name, parameters = (kind, {}) if isinstance(kind, str) else next(iter(kind.items()), ("", {}))
        if not isinstance(kind, str) and len(kind) != 1:
            self.problem(path, "one kind is named here, with its parameters: {NAME: {PARAMETER: VALUE}}")
            return None
        if name in self.lists and not parameters:
            for text, _ in self.lists[name]:
                self.literal(field.type, text, path)
            return WeightsSource(weights=self.lists[name], place=self.tree.place(path))
        try:
            known = get_kind(name)
        except UsageError as error:
            self.problem(path, f"{dotted(path[:-1])}: {error.problems[0].fact}", error.problems[0].hint, value=True)
            return None
        for parameter in parameters:
            if parameter not in known.parameters:
                hint = nearest(parameter, known.parameters) or f"{name} has no parameters"
                self.problem((*path, name, parameter), f"kind {name} has no parameter '{parameter}'", hint)
        spoken = str(dict(parameters).get("language", SPOKEN[0])).partition("-")[0]
        if "language" in known.parameters and spoken not in SPOKEN:
            self.problem((*path, name, "language"), f"no texts are made in '{spoken}'", f"there are: {', '.join(SPOKEN)}")
        if not known.fills(field.type.name) and field.type.name is not TypeName.OTHER:
            self.problem(path, f"kind {name} cannot fill {field.name}, which is {field.type}", value=True)
        return KindSource(kind=name, parameters=tuple(parameters.items()), place=self.tree.place(path))

    def _shape(self, shape: Any, path: Path) -> Source | None:
        given: dict[str, dict[str, float] | list[float]] = {shape: {}} if isinstance(shape, str) else shape
        name, told = next(iter(given.items()), ("", {}))
        parameters = told if isinstance(told, dict) else {f"{number}": one for number, one in enumerate(told)}
        if name not in SHAPES:
            self.problem(path, f"no shape is called '{name}'", nearest(name, tuple(SHAPES)), value=True)
            return None
        listed = name in ("quantiles", "steps")
        if (isinstance(told, list) != (name == "quantiles")) or (not listed and set(parameters) != set(SHAPES[name])):
            self.problem(path, f"shape {name} takes: {', '.join(SHAPES[name]) or 'nothing'}")
            return None
        if (needs := _unmet(name, parameters)) is not None:
            self.problem(path, f"shape {name} needs {needs}")
            return None
        return ShapeSource(shape=name, parameters=tuple(parameters.items()), place=self.tree.place(path))

    def _limits(self, entity: Entity, field: Field, wish: FieldSection, path: Path) -> Limits:
        limits = field.limits
        bounds = list(limits.bounds)
        bounded_near = self._bounded_near(wish, path)
        comparisons = (("minimum", ">="), ("maximum", "<="), ("exclusive_minimum", ">"), ("exclusive_maximum", "<"),
                       ("after", ">"), ("before", "<"))  # fmt: skip
        for key, comparison in comparisons:
            told = getattr(wish, key)
            if told is None:
                continue
            alias = FieldSection.model_fields[key].alias or key
            here = (*path, alias)
            if field.type.name not in ORDERED | TEXTS | {TypeName.OTHER}:
                self.problem(here, f"{entity.name}.{field.name} is {field.type}, of which no value is less than another")
                continue
            for number, text in enumerate(told if isinstance(told, list) else [told]):
                place = (*here, number) if isinstance(told, list) else here
                is_path = self._is_path(entity, field, text, place)
                within = wish.within if is_path and key == bounded_near and not number else None
                loose = bool(wish.loose) and (is_path or text == "now")
                usually = wish.usually if within is not None else None
                bounds.append(Bound(comparison=comparison, operand=text, path=is_path, within=within, usually=usually,  # type: ignore[arg-type]
                                    place=self.tree.place(place), origin=Origin.GUESSED if loose else Origin.SAID,
                                    because=None if loose else f"{alias} {text}"))  # fmt: skip
        if wish.loose is not None and not any(bound.path for bound in bounds[len(limits.bounds) :]):
            self.problem(
                (*path, "loose"), "`loose` is of bounds that name a field, and there are none", "name one in minimum or after"
            )
        if wish.within is not None and not any(bound.within for bound in bounds):
            self.problem(
                (*path, "within"),
                "`within` bounds the distance to the field named by after, before, minimum or maximum",
                "add one of them",
            )
        if wish.usually is not None and (
            wish.within is None or not timedelta(0) < read_span(wish.usually) <= read_span(wish.within)
        ):
            said = "`usually` is the commonest of the distances that `within` lets be"
            self.problem((*path, "usually"), said, "say `within` beside it, and no less than that")
        allowed = list(limits.allowed)
        if wish.enum is not None:
            for number, text in enumerate(wish.enum):
                self.literal(field.type, text, (*path, "enum", number))
            allowed.append(
                Allowed(values=tuple(wish.enum), place=self.tree.place((*path, "enum")), origin=Origin.SAID, because="enum")
            )
        if wish.multiple_of is not None:
            self.literal(field.type, wish.multiple_of, (*path, "multipleOf"))
        return replace(
            limits, bounds=tuple(bounds), allowed=tuple(allowed),
            multiple_of=wish.multiple_of or limits.multiple_of,
            min_length=wish.min_length if wish.min_length is not None else limits.min_length,
            max_length=wish.max_length if wish.max_length is not None else limits.max_length,
        )  # fmt: skip

    def _bounded_near(self, wish: FieldSection, path: Path) -> str | None:
        """Which of the bounds that name a field `within` is about: of several, the one that stands before it."""
        named = [key for key in ("after", "before", "minimum", "maximum") if getattr(wish, key) is not None]
        if wish.within is None or len(named) < 2:
            return named[0] if named else None

        def at(key: str) -> tuple[int, int]:
            place = self.tree.place((*path, key))
            return place.line or 0, place.column or 0

        earlier = [key for key in named if at(key) < at("within")]
        return max(earlier or named, key=at) if earlier else min(named, key=at)

    def _is_path(self, entity: Entity, field: Field, text: str, path: Path) -> bool:
        """Whether a bound names a cell; what is neither a cell nor a literal, nor the present time, is a problem."""
        if text == "now" and field.type.name in MOMENTS and not entity.has("now"):
            return False
        try:
            read_literal(text, field.type)
            return False
        except ValueError as error:
            reason = str(error)
        if text.replace("_", "").replace(".", "").isalnum() and not text[0].isdigit():
            return self._path(entity, text, path) and self._is_comparable(entity, field, text, path)
        self.problem(
            path,
            f"{dotted(path)}: {reason}",
            "a value, a field, or a field of a row referred to (sailing.departs_at)",
            value=True,
        )
        return False

    def _is_comparable(self, entity: Entity, field: Field, text: str, path: Path) -> bool:
        other = field_at(self.world, entity, resolve_path(self.world, entity, text))
        families = (NUMBERS, MOMENTS, TEXTS | {TypeName.OTHER, TypeName.ENUM, TypeName.UUID}, {TypeName.TIME})
        own = next((family for family in families if field.type.name in family), frozenset())
        if other.type.name in own:
            return True
        fact = f"{entity.name}.{field.name} is {field.type}, but {text}, which is to bound it, is {other.type}"
        fitting = [one.name for one in entity.fields if one.type.name in own and one.name != field.name]
        self.problem(path, fact, f"these could: {', '.join(fitting[:6])}" if fitting else None, value=True)
        return False


def _unmet(name: str, given: dict[str, float]) -> str | None:
    """What the numbers of a shape must keep, where they do not."""
    match name:
        case "skewed":
            return None if 0 < given["median"] < given["p95"] else "0 < median < p95"
        case "triangular":
            return None if given["low"] <= given["peak"] <= given["high"] > given["low"] else "low ≤ peak ≤ high, and low < high"
        case "humps":
            return None if given["sd"] > 0 and 0 <= given["share"] <= 1 else "an sd above 0 and a share from 0 to 1"
        case "zipf":
            return None if given["exponent"] > 0 and given["most"] >= 1 else "an exponent above 0 and a most from 1 on"
        case "quantiles":
            rises = len(given) > 1 and all(one <= other for one, other in pairwise(given.values()))
            return None if rises else "two numbers or more that do not fall"
        case "steps":
            try:
                starts = list(map(float, given))
            except ValueError:
                starts = []
            rises = len(starts) > 1 and all(one < other for one, other in pairwise(starts))
            weighs = all(weight >= 0 for weight in given.values()) and sum(list(given.values())[:-1]) > 0
            return None if rises and weighs else "rising numbers with weights, the last of which is where it ends"
    return None
