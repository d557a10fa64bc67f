"""Paths, conditions and values of a world file, checked against the model with their places."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from ..expression import Expression, NotEvaluableError, child_of, parse
from ..model import Entity, FieldType, Present, Problem, Relation, World
from ..model.literals import read_share, read_stored, require_form
from ..model.problems import nearest
from .field_sections import PresentSection
from .yaml_tree import Path, Tree


class Understanding:
    """Reads what several parts of one file have in common; `problems` collects what does not fit."""

    def __init__(self, world: World, tree: Tree, lists: Mapping[str, tuple[tuple[str, float], ...]] | None = None) -> None:
        self.world, self.tree, self.lists = world, tree, lists or {}  # `lists`: kinds of the file that are lists of values
        self.problems: list[Problem] = []

    def problem(self, path: Path, fact: str, hint: str | None = None, *, value: bool = False) -> None:
        place = self.tree.value_place(path) if value else self.tree.place(path)
        self.problems.append(Problem(fact=fact, place=place, hint=hint))

    def _path(self, entity: Entity, text: str, path: Path) -> bool:
        *way, rest = text.split(".")
        target = entity
        for head in way:
            relation = find_relation(target, head)
            if relation is None:
                self.problem(path, f"{dotted(path)}: {target.name} refers to no '{head}'", refers_to(target, head), value=True)
                return False
            target = self.world.entity(relation.target)
        if not target.has(rest) and rest not in target.cohort_names:
            self.problem(
                path,
                f"{dotted(path)}: {target.name} has no field '{rest}'",
                nearest(rest, (*target.field_names, *target.cohort_names)),
                value=True,
            )
            return False
        return True

    def present(self, entity: Entity, text: str | PresentSection | None, path: Path) -> Present | None:
        if text is None:
            return None
        place = self.tree.place(path)
        if not isinstance(text, str):
            fine = self.expression(entity, text.when, (*path, "when"))
            return Present(when=text.when, share=text.share, place=place) if fine else None
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
        return self._understood(entity, expression, path)

    def _understood(self, entity: Entity, expression: Expression, path: Path) -> bool:
        """Whether all names of an expression are there, also those within its sums over children."""
        fine = [self._path(entity, name, path) for name in expression.paths]
        for aggregate in expression.aggregates:
            try:
                child, _ = child_of(self.world, entity, aggregate.entity, aggregate.text)
            except NotEvaluableError as error:
                children = sorted(child.name for child in self.world.entities for r in child.relations if r.target == entity.name)
                hint = nearest(aggregate.entity, children) or f"{entity.name} has children: {', '.join(children) or 'none'}"
                self.problem(path, str(error), hint, value=True)
                return False
            parts = [part for part in (aggregate.operand, aggregate.where) if part is not None]
            fine += [self._understood(child, part, path) for part in parts]
        return all(fine)

    def literal(self, kind: FieldType, text: str, path: Path, *, key: bool = False) -> None:
        """A value that is to be stored in a field."""
        try:
            read_stored(text, kind)
            require_form(text, kind)
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
