"""Wishes for rows: how many, which are given by hand, which parts of them differ, and through which states they go."""

from __future__ import annotations

from base64 import b64decode
from dataclasses import replace
from typing import Any

from ..expression import NotEvaluableError, parse_over_counts
from ..model import Cohort, Entity, Field, PerOwner, PerPair, RowCount, RowFormula, States, TypeName
from ..model.problems import nearest
from ..model.types import TEXTS
from .grammar import ChildrenSection, CohortSection, CountSection, StatesSection
from .understanding import dotted, find_relation, refers_to
from .wished_references import ReferenceWishes
from .yaml_tree import Path


class RowWishes(ReferenceWishes):
    """Reads the parts of one file that are about the rows of an entity."""

    def rows(self, entity: Entity, rows: Any, path: Path) -> RowCount | RowFormula | PerOwner | PerPair | None:
        if rows is None:
            return entity.rows
        place = self.tree.place(path)
        if isinstance(rows, str):
            return self._row_formula(entity, rows, path)
        if not isinstance(rows, CountSection):
            return RowCount(number=rows, place=place)
        if not isinstance(rows.per, str):
            return self._per_pair(entity, rows, path)
        owner = find_relation(entity, rows.per)
        if owner is None:
            self.problem(
                (*path, "per"),
                f"{entity.name} does not refer to '{rows.per}'",
                refers_to(entity, rows.per),
                value=True,
            )
            return None
        if rows.every is not None and (rows.none or any(n is not None for n in (rows.each, rows.mean, rows.least, rows.most))):
            self.problem(
                (*path, "every"),
                "`every` says how many rows there are: it cannot be combined with each, mean, least, most and none",
            )
        return replace(self._per_owner(owner.name, rows, path), every=rows.every)

    def _per_pair(self, entity: Entity, rows: CountSection, path: Path) -> PerPair | None:
        found = [find_relation(entity, name) for name in rows.per]
        for number, (name, relation) in enumerate(zip(rows.per, found, strict=True)):
            if relation is None:
                here = (*path, "per", number)
                self.problem(here, f"{entity.name} does not refer to '{name}'", refers_to(entity, name), value=True)
        names = tuple(relation.name for relation in found if relation is not None)
        if rows.none or any(n is not None for n in (rows.each, rows.mean, rows.least, rows.most, rows.every)):
            self.problem(path, "there is one row for each combination: `per` with a list stands alone")
        if len(names) == len(found) and (len(set(names)) < len(names) or len(names) < 2):
            self.problem((*path, "per"), "a combination needs two different references", refers_to(entity, ""))
            return None
        return PerPair(per=names, place=self.tree.place(path)) if len(names) == len(found) else None

    def _row_formula(self, entity: Entity, text: str, path: Path) -> RowFormula | None:
        try:
            named = parse_over_counts(text).paths
        except NotEvaluableError as error:
            hint = "give a number, or an expression such as 2 * count(ENTITY)"
            self.problem(path, f"{entity.name}.rows: {error}", hint, value=True)
            return None
        unknown = [name for name in named if name not in self.world.entity_names]
        for name in unknown:
            near = nearest(name, self.world.entity_names)
            self.problem(path, f"{entity.name}.rows counts '{name}', which is not an entity", near, value=True)
        return None if unknown else RowFormula(expression=text, place=self.tree.place(path))

    def fixed(self, entity: Entity, fixed: Any, path: Path) -> tuple[tuple[tuple[str, str | None], ...], ...]:
        if fixed is None:
            return entity.fixed
        out = []
        for number, row in enumerate(fixed):
            if entity.name in self.tree.from_csv:
                row = {name: _bytes_of(text) if _is_bytes(entity, name) else text for name, text in row.items()}
            for name, text in row.items():
                here = (*path, number, name)
                if not entity.has(name):
                    self.problem(here, f"{entity.name} has no field '{name}'", nearest(name, entity.field_names))
                elif text is not None:
                    self.literal(entity.field(name).type, text, here)
                elif not entity.field(name).nullable:
                    self.problem(here, f"{entity.name}.{name} must not be null")
            out.append(tuple(row.items()))
        return tuple(out)

    def cohort(self, entity: Entity, name: str, wish: CohortSection, path: Path) -> Cohort:
        """What a cohort sets: its fields and references as they would be if nothing else had been said of them."""
        if (wish.share is None) == (wish.rows is None):
            self.problem(path, f"the cohort {name} has a share, or a number of rows", "share: 10%")
        fields, relations, children = [], [], []
        for field, own in wish.fields.items():
            here = (*path, "fields", field)
            if not entity.has(field):
                self.problem(here, f"{entity.name} has no field '{field}'", nearest(field, entity.field_names))
            elif own.type or own.unique is not None or own.null is not None or own.default is not None:
                self.problem(here, "a cohort declares no field: type, null, default and unique stand with the entity's fields")
            else:
                base = entity.field(field)
                bare = Field(name=field, type=base.type, nullable=base.nullable, place=self.tree.place(here))
                fields.append(self.field(entity, bare, own, here))
        for reference, theirs in wish.references.items():
            here = (*path, "references", reference)
            found = find_relation(entity, reference)
            if found is None:
                self.problem(here, f"{dotted(path)}.{reference}: no relationship of that name", refers_to(entity, reference))
                continue
            asked = {key for key, value in theirs.model_dump(exclude_unset=True).items() if value is not None}
            if others := sorted(asked - {"favour", "weights", "present", "where"}):
                fact = f"a cohort cannot set {', '.join(others)} of a reference"
                self.problem(here, fact, "it can set favour, weights, present and where")
                continue
            plain = replace(found, favour=None, weights=(), present=None, where=None)
            relations.append(self.reference(entity, plain, theirs, here))
        for child, count in wish.children.items():
            if (read := self._children(entity, child, count, (*path, "children", child))) is not None:
                children.append((child, read))
        return Cohort(
            name=name, share=wish.share, rows=wish.rows, fields=tuple(fields), references=tuple(relations),
            children=tuple(children), place=self.tree.place(path),
        )  # fmt: skip

    def _children(self, entity: Entity, name: str, count: int | ChildrenSection, path: Path) -> PerOwner | None:
        fitting = [r for child in self.world.entities if child.name == name for r in child.relations if r.target == entity.name]
        by = count.by if isinstance(count, ChildrenSection) else None
        if by is not None:
            fitting = [r for r in fitting if by in (r.name, *r.columns)]
        if len(fitting) != 1:
            names = sorted({child.name for child in self.world.entities for r in child.relations if r.target == entity.name})
            if not fitting:
                fact = f"no {name} refers to {entity.name}" + (f" by {by}" if by else "")
                hint = nearest(name, names) or f"{entity.name} has children: {', '.join(names) or 'none'}"
            else:
                ways = ", ".join(r.name for r in fitting)
                fact, hint = f"{name} refers to {entity.name} in more than one way", f"{{by: …}}, one of: {ways}"
            self.problem(path, fact, hint)
            return None
        part = count if isinstance(count, ChildrenSection) else ChildrenSection.model_validate({"each": count})
        return self._per_owner(fitting[0].name, part, path)

    def _per_owner(self, relation: str, part: CountSection | ChildrenSection, path: Path) -> PerOwner:
        """A number of rows for each row that a relation points to."""
        count = PerOwner(
            per=relation, each=part.each, mean=part.mean, least=part.least, most=part.most, none=part.none,
            place=self.tree.place(path),
        )  # fmt: skip
        if part.each is not None and any(number is not None for number in (part.mean, part.least, part.most)):
            self.problem((*path, "each"), "`each` is exact: it cannot be combined with mean, least and most")
        if count.lowest > count.highest:
            self.problem(path, f"at least {count.lowest} and at most {count.highest} rows for each: none can be both")
        return count

    def states(self, entity: Entity, wish: StatesSection | None, path: Path) -> States | None:
        if wish is None:
            return None
        known = tuple(child.name for child in self.world.entities for r in child.relations if r.target == entity.name)
        fine = True
        if not entity.has(wish.field):
            fact = f"{entity.name} has no field '{wish.field}'"
            self.problem((*path, "field"), fact, nearest(wish.field, entity.field_names), value=True)
            fine = False
        if wish.history not in known:
            hint = nearest(wish.history, known) or f"{entity.name} has children: {', '.join(known) or 'none'}"
            self.problem((*path, "history"), f"no '{wish.history}' refers to {entity.name}", hint, value=True)
            fine = False
        named = {*wish.start, *(to for onward in wish.steps.values() for to in onward)}
        for state in wish.steps:
            if state not in named:
                self.problem((*path, "steps", state), f"nothing leads to the state '{state}'", nearest(state, tuple(named)))
        for state in wish.lasts:
            if state not in named:
                self.problem((*path, "lasts", state), f"there is no state '{state}'", nearest(state, tuple(named)))
        if not fine:
            return None
        if (kind := entity.field(wish.field).type).name in TEXTS | {TypeName.ENUM}:
            for state in sorted(named):
                self.literal(kind, state, (*path, "start"))
        else:
            self.problem((*path, "field"), f"{entity.name}.{wish.field} is {kind}: states are texts", value=True)
        return States(
            field=wish.field, history=wish.history, start=tuple(wish.start.items()),
            steps=tuple((state, tuple(onward.items())) for state, onward in wish.steps.items()),
            lasts=tuple(wish.lasts.items()), place=self.tree.place(path),
        )  # fmt: skip


def _is_bytes(entity: Entity, name: str) -> bool:
    return entity.has(name) and entity.field(name).type.name is TypeName.BYTEA


def _bytes_of(text: str | None) -> str | None:
    """A CSV's base64, as we write it, in the spelling of a literal; anything else as it stands."""
    try:
        return None if text is None else f"\\x{b64decode(text, validate=True).hex()}"
    except ValueError:
        return text
