"""Putting a world file's wishes over a declared model: entities and references first, then what is wished for them."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from ..expression import NotEvaluableError, parse_over_counts
from ..model import (
    EVEN,
    Check,
    Cohort,
    Entity,
    Favour,
    Field,
    PerOwner,
    PerPair,
    Relation,
    RowCount,
    RowFormula,
    Same,
    Spread,
    States,
    TypeName,
    Unique,
    World,
)
from ..model import Tree as TreeForm
from ..model.problems import nearest
from ..model.types import TEXTS
from .drafts import name_relations
from .grammar import ChildrenPart, CohortPart, CountPart, EntityPart, FavourPart, ReferencePart, SpreadPart, StatesPart, TreePart
from .sql import parse_type
from .wishes import Wishes, dotted, find_relation, refers_to
from .yaml_tree import Path


class Overlay(Wishes):
    """Applies the parts of one file to a world."""

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
                self.problem(here, f"{dotted(path)}.fields.{name}: no field of that name", nearest(name, entity.field_names))
            else:
                try:
                    kind = parse_type(wish.type)
                except ValueError as error:
                    self.problem(
                        (*here, "type"),
                        str(error),
                        "as in: integer, numeric(10,2), varchar(60), date, timestamptz, uuid",
                    )
                    continue
                nullable = wish.null is not False and name not in (part.key or ())
                fields.append(Field(name=name, type=kind, nullable=nullable, default=wish.default, place=self.tree.place(here)))
        uniques = list(entity.uniques)
        uniques += [
            Unique(columns=tuple(columns), place=self.tree.place((*path, "unique", i))) for i, columns in enumerate(part.unique)
        ]
        for name, wish in part.fields.items():
            if wish.unique and not any(rule.columns == (name,) for rule in entity.unique_rules):
                uniques.append(Unique(columns=(name,), place=self.tree.place((*path, "fields", name, "unique"))))
        cohorts = tuple(Cohort(name=name, place=self.tree.place((*path, "cohorts", name))) for name in part.cohorts)
        for cohort in cohorts:
            if any(field.name == cohort.name for field in fields):
                here = (*path, "cohorts", cohort.name)
                self.problem(here, f"{entity.name} has a field of that name", "call the cohort otherwise")
        return replace(
            entity, fields=tuple(fields), key=tuple(part.key) if part.key else entity.key, uniques=tuple(uniques),
            cohorts=cohorts or entity.cohorts,
        )  # fmt: skip

    def _declare_references(self, entity: Entity, part: EntityPart, path: Path, known: dict[str, Entity]) -> Entity:
        relations, fields = list(entity.relations), list(entity.fields)
        for name, wish in part.references.items():
            if wish.to is None:
                continue
            here = (*path, "references", name)
            target = known.get(wish.to)
            if target is None:
                self.problem((*here, "to"), f"{dotted(here)}: no entity '{wish.to}'", nearest(wish.to, tuple(known)), value=True)
                continue
            columns = tuple(wish.columns or (f"{name}_id",))
            held = _held_columns(columns, target)
            if len(columns) != len(held):
                self.problem(
                    here,
                    f"{dotted(here)}: {len(columns)} columns cannot hold {wish.to}'s key ({', '.join(target.key)})",
                )
                continue
            for column, key in zip(columns, held, strict=True):
                if not any(f.name == column for f in fields):
                    nullable = wish.present is not None or wish.tree is not None
                    fields.append(Field(name=column, type=target.field(key).type, nullable=nullable, place=self.tree.place(here)))
            relations.append(Relation(name=name, entity=entity.name, columns=columns, target=target.name,
                                      target_columns=held, place=self.tree.place(here)))  # fmt: skip
        entity = replace(entity, relations=name_relations(relations, (field.name for field in fields)), fields=tuple(fields))
        for rule, columns, place_path in [
            ("key", entity.key, "key"),
            *((str(u), u.columns, "unique") for u in entity.uniques),
        ]:
            for column in columns:
                if not entity.has(column):
                    self.problem(
                        (*path, place_path),
                        f"{entity.name}: {rule} names '{column}', which is no field",
                        nearest(column, entity.field_names),
                    )
        return entity

    def _wishes(self, entity: Entity, part: EntityPart, path: Path) -> Entity:
        relations = {relation.name: relation for relation in entity.relations}
        for name, wish in part.references.items():
            found = find_relation(entity, name)
            if found is None:
                self.problem(
                    (*path, "references", name),
                    f"{dotted(path)}.references.{name}: no relationship of that name",
                    refers_to(entity, name),
                )
            else:
                relations[found.name] = self._reference(entity, relations[found.name], wish, (*path, "references", name))
        fields = [
            self.field(entity, f, part.fields[f.name], (*path, "fields", f.name)) if f.name in part.fields else f
            for f in entity.fields
        ]
        checks = list(entity.checks)
        for number, text in enumerate(part.checks):
            here = (*path, "checks", number)
            if self.expression(entity, text, here):
                checks.append(Check(expression=text, place=self.tree.place(here)))
        cohorts = tuple(self._cohort(entity, name, wish, (*path, "cohorts", name)) for name, wish in part.cohorts.items())
        if part.label is not None:
            self.expression(entity, part.label, (*path, "label"))
        return replace(
            entity, rows=self._rows(entity, part.rows, (*path, "rows")), fields=tuple(fields), checks=tuple(checks),
            relations=tuple(relations.values()), label=part.label or entity.label, cohorts=cohorts or entity.cohorts,
            states=self._states(entity, part.states, (*path, "states")) or entity.states,
            fixed=self._fixed(entity, part.fixed, (*path, "fixed")),
            fixed_places=entity.fixed_places if part.fixed is None
            else tuple(self.tree.place((*path, "fixed", number)) for number in range(len(part.fixed))),
        )  # fmt: skip

    def _states(self, entity: Entity, wish: StatesPart | None, path: Path) -> States | None:
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

    def _cohort(self, entity: Entity, name: str, wish: CohortPart, path: Path) -> Cohort:
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
            if others := sorted(asked - {"favour", "weights", "present"}):
                fact = f"a cohort cannot set {', '.join(others)} of a reference"
                self.problem(here, fact, "it can set favour, weights and present")
                continue
            plain = replace(found, favour=None, weights=(), present=None)
            relations.append(self._reference(entity, plain, theirs, here))
        for child, count in wish.children.items():
            if (read := self._children(entity, child, count, (*path, "children", child))) is not None:
                children.append((child, read))
        return Cohort(
            name=name, share=wish.share, rows=wish.rows, fields=tuple(fields), references=tuple(relations),
            children=tuple(children), place=self.tree.place(path),
        )  # fmt: skip

    def _children(self, entity: Entity, name: str, count: int | ChildrenPart, path: Path) -> PerOwner | None:
        fitting = [r for child in self.world.entities if child.name == name for r in child.relations if r.target == entity.name]
        by = count.by if isinstance(count, ChildrenPart) else None
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
        place = self.tree.place(path)
        if not isinstance(count, ChildrenPart):
            return PerOwner(per=fitting[0].name, each=count, place=place)
        if count.each is not None and (count.mean is not None or count.least is not None or count.most is not None):
            self.problem((*path, "each"), "`each` is exact: it stands without mean, least and most")
        read = PerOwner(per=fitting[0].name, each=count.each, mean=count.mean, least=count.least, most=count.most,
                        none=count.none, place=place)  # fmt: skip
        if read.lowest > read.highest:
            self.problem(path, f"at least {read.lowest} and at most {read.highest}: none can be both")
        return read

    def _rows(self, entity: Entity, rows: Any, path: Path) -> RowCount | RowFormula | PerOwner | PerPair | None:
        if rows is None:
            return entity.rows
        place = self.tree.place(path)
        if isinstance(rows, str):
            return self._row_formula(entity, rows, path)
        if not isinstance(rows, CountPart):
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
        count = PerOwner(
            per=owner.name,
            each=rows.each,
            mean=rows.mean,
            least=rows.least,
            most=rows.most,
            none=rows.none,
            every=rows.every,
            place=place,
        )
        if rows.every is not None and (rows.none or any(n is not None for n in (rows.each, rows.mean, rows.least, rows.most))):
            self.problem((*path, "every"), "`every` says how many: it stands without each, mean, least, most and none")
        if count.each is not None and (rows.mean is not None or rows.least is not None or rows.most is not None):
            self.problem((*path, "each"), "`each` is exact: it stands without mean, least and most")
        if count.lowest > count.highest:
            self.problem(path, f"at least {count.lowest} and at most {count.highest} rows for each {rows.per}: none can be both")
        return count

    def _per_pair(self, entity: Entity, rows: CountPart, path: Path) -> PerPair | None:
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
            self.problem(path, f"{entity.name}.rows counts '{name}', which is no entity", near, value=True)
        return None if unknown else RowFormula(expression=text, place=self.tree.place(path))

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
                    self.literal(entity.field(name).type, text, here)
                elif not entity.field(name).nullable:
                    self.problem(here, f"{entity.name}.{name} must not be null")
            out.append(tuple(row.items()))
        return tuple(out)

    def _reference(self, entity: Entity, relation: Relation, wish: ReferencePart, path: Path) -> Relation:
        favour = relation.favour
        if isinstance(wish.favour, FavourPart):
            favour = Favour(few=wish.favour.few, take=wish.favour.take)
            if not 0 < favour.few <= favour.take <= 1:
                self.problem(
                    (*path, "favour"),
                    f"few ({favour.few:.0%}) can take no less than their own share ({favour.take:.0%})",
                )
        elif wish.favour is not None:
            favour = EVEN
            if wish.favour != "even":
                self.problem(
                    (*path, "favour"),
                    f"'{wish.favour}' is no way to favour",
                    "write even, or {few: 20%, take: 50%}",
                    value=True,
                )
        unlike = relation.unlike
        if wish.unlike is not None:
            other = find_relation(entity, wish.unlike)
            if other is None or other.target != relation.target:
                self.problem(
                    (*path, "unlike"),
                    f"'{wish.unlike}' is no other reference to {relation.target}",
                    refers_to(entity, wish.unlike),
                    value=True,
                )
            else:
                unlike = other.name
        present = self.present(entity, wish.present, (*path, "present"))
        return replace(
            relation, favour=favour, unlike=unlike, wished=self.tree.place(path), present=present or relation.present,
            same=tuple(
                Same(text=text, place=self.tree.value_place((*path, "same", number))) for number, text in enumerate(wish.same)
            ) if wish.same is not None else relation.same,
            where=self._where(relation, wish.where, (*path, "where")) or relation.where,
            weights=tuple(wish.weights.items()) if wish.weights else relation.weights,
            spread=self._spread(wish.rows, (*path, "rows")) or relation.spread,
            tree=self._tree(entity, relation, wish.tree, (*path, "tree")) or relation.tree,
        )  # fmt: skip

    def _where(self, relation: Relation, text: str | None, path: Path) -> Check | None:
        """A condition over the fields of the target."""
        if text is None or not self.expression(self.world.entity(relation.target), text, path):
            return None
        return Check(expression=text, place=self.tree.place(path))

    def _spread(self, wish: SpreadPart | None, path: Path) -> Spread | None:
        if wish is None:
            return None
        least = wish.least if wish.least is not None else 0
        if wish.most is not None and least > wish.most:
            self.problem(path, f"at least {least} and at most {wish.most}: none can be both")
        return Spread(mean=wish.mean, least=wish.least, most=wish.most, none=wish.none, place=self.tree.place(path))

    def _tree(self, entity: Entity, relation: Relation, wish: TreePart | None, path: Path) -> TreeForm | None:
        if wish is None:
            return None
        if relation.target != entity.name:
            self.problem(path, f"{entity.name}.{relation.name} goes to {relation.target}: a tree refers to itself")
        share = wish.roots if isinstance(wish.roots, float) else None
        roots = 1 if share is not None else int(wish.roots)
        return TreeForm(roots=roots, share=share, depth=wish.depth, most=wish.most, place=self.tree.place(path))


def _held_columns(columns: tuple[str, ...], target: Entity) -> tuple[str, ...]:
    """The target's columns that a reference holds: its key, or the one unique column that the reference's own is named after."""
    if len(columns) == 1 and columns[0] not in target.key:
        for rule in target.unique_rules:
            if (
                len(rule.columns) == 1
                and rule.columns != target.key
                and columns[0].lower().endswith(f"_{rule.columns[0].lower()}")
            ):
                return rule.columns
    return target.key
