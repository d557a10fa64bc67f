"""Worlds in several languages: each row's persons, places and texts are in one of them.

Rows about persons are in their person's language. Rows that hang on such a row, and are about nobody themselves, are in its
language: a customer's address lies where the customer lives. All others have a language by the shares of the world.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ...model import KindSource, Relation
from ...model.paths import Cell
from ...plan.entity import EntityPlan
from ...plan.fields import Converted, Drawn, FieldPlan, OfKind, OfPerson
from ...plan.plan import Plan
from ...plan.ports import RowsPort
from ...randomness import Bits
from ...values.mixed_people import LanguageMix, MixedPeople
from .fields import prepare_field

Which = Callable[[RowsPort], NDArray[np.int64]]  # the number of each row's language


@dataclass(frozen=True, slots=True)
class Spoken:
    """Which language rows of an entity are in, and the cells that this reads."""

    which: Which
    needs: tuple[Cell, ...] = ()


def spoken_in(plan: Plan, entity_plan: EntityPlan) -> Spoken:
    """The languages of an entity's rows."""
    if isinstance(entity_plan.people, MixedPeople):
        return _mixed(entity_plan.people.mix)
    relation = _of_whom(plan, entity_plan)
    if relation is None:
        bits = Bits(plan.stage_seed, entity_plan.name, "", "language")
        return _mixed(LanguageMix(bits, entity_plan.total, plan.world.languages))
    name, target = relation.name, relation.target
    theirs = spoken_in(plan, plan.entities[target])

    def which(rows: RowsPort) -> NDArray[np.int64]:
        targets = rows.targets(name)
        there = np.flatnonzero(targets >= 0)
        out = np.zeros(len(targets), np.int64)
        out[there] = theirs.which(rows.runtime.rows(target, targets[there]))
        return out

    return Spoken(which, tuple((entity_plan.name, column) for column in relation.columns))


def _mixed(mix: LanguageMix) -> Spoken:
    return Spoken(lambda rows: mix.split(rows.ordinals)[0])


def _of_whom(plan: Plan, entity_plan: EntityPlan, seen: tuple[str, ...] = ()) -> Relation | None:
    """The reference by which rows hang on rows about persons, the owner's first."""
    entity = entity_plan.entity
    relations = sorted(entity.relations, key=lambda one: entity_plan.owner is None or one.name != entity_plan.owner.relation)
    for relation in relations:
        must = not any(entity.field(column).nullable for column in relation.columns)
        if not must or relation.target in (*seen, entity.name):
            continue
        target = plan.entities[relation.target]
        if target.people is not None or _of_whom(plan, target, (*seen, entity.name)) is not None:
            return relation
    return None


def in_other_languages(plan: Plan, entity_plan: EntityPlan) -> Iterator[tuple[int, FieldPlan]]:
    """The fields of an entity as rows in each of the other languages have them."""
    ruled = {column for rule in entity_plan.entity.unique_rules for column in rule.columns}
    ruled |= {column for reduced in entity_plan.reduced for column in reduced.rule.columns}
    for number, (tag, _) in enumerate(plan.world.languages[1:], 1):
        there = replace(plan, world=replace(plan.world, language=tag))
        for name, usual in entity_plan.fields.items():
            if (name in ruled and not isinstance(usual.way, OfPerson)) or not _may_differ(usual):
                continue
            problems: list[Any] = []
            own = prepare_field(there, entity_plan, usual.field, problems)
            if not problems and type(own.way) is type(usual.way):
                yield number, own


def _may_differ(usual: FieldPlan) -> bool:
    """Whether a kind fills a field in the language of its world."""
    source = usual.field.source
    said = isinstance(source, KindSource) and "language" in dict(source.parameters)
    of_kind = isinstance(usual.way, OfPerson | Converted) or (isinstance(usual.way, Drawn) and isinstance(usual.way.of, OfKind))
    return of_kind and not said and not usual.cell_bounds
