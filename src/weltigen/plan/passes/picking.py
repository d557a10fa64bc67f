"""Pass: how each reference finds its target: by owner, by a digit of a unique rule, or by a pick."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ...expression import parse
from ...model import EVEN, Favour, PerOwner, Present, Relation
from ...randomness import Bits, ByClass, from_counts, key, popularity
from ..paths import path_cell, resolve_path
from ..plan import Cell, EntityPlan, Plan, ReferencePlan
from ..rows import Rows
from .counts import per_owner_table

Targets = Callable[[Rows], NDArray[np.int64]]
USUAL_SHARE = 0.9  # of a nullable field or reference that nothing else is said about


def choose_targets(plan: Plan) -> Plan:
    for name in plan.order:
        entity_plan = plan.entities[name]
        references = {relation.name: _plan_one(plan, entity_plan, relation) for relation in entity_plan.entity.relations}
        plan = plan.with_entity(replace(entity_plan, references=references))
    return plan


def digit_of(entity_plan: EntityPlan, name: str, relation: bool) -> int | None:
    """The number of the component in which a relation or a field is a digit."""
    for number, component in enumerate(entity_plan.components):
        for digit in (*component.core, *(d for petal in component.petals for d in petal)):
            if digit.name == name and digit.relation == relation:
                return number
    return None


def _plan_one(plan: Plan, entity_plan: EntityPlan, relation: Relation) -> ReferencePlan:
    entity = entity_plan.entity
    target_total = plan.entities[relation.target].total
    bits = Bits(plan.seed, entity.name, relation.name, "reference")
    picks = None
    find: Targets
    number = digit_of(entity_plan, relation.name, relation=True)
    if entity_plan.owner is not None and entity_plan.owner.relation == relation.name:
        find, because = _by_owner, "the owner of these rows"
    elif entity_plan.tabled is not None and relation.name in entity_plan.tabled.relations:
        find, because = _worked_out(relation.name), "worked out beforehand with the rules it takes part in"
    elif (shared := entity_plan.shared.get(relation.name)) is not None:
        bringer = entity.relation(shared.bringer).target
        if shared.implied is not None:
            find, because = _implied(shared.bringer, bringer, shared.implied), f"the one to which its {bringer} refers"
        else:
            columns = ", ".join(column for column, _ in shared.columns)
            find, because = _agreeing(bits, relation.name), f"any with the same {columns}"
    elif target_total == 0:
        find, because = _nothing, f"{relation.target} has no rows"
    elif number is not None:
        find = _by_digit(plan, entity_plan, relation, number, bits)
        because = "different in each row of its unique rule"
    elif relation.target == entity.name:
        optional = all(entity.field(column).nullable for column in relation.columns)
        find, because = (
            _earlier(bits, -1 if optional else 0),
            "an earlier row" if optional else "an earlier row; the first, itself",
        )
    elif (other := _must_differ(entity_plan, relation)) is not None:
        find, because = _unlike(bits, other, target_total), f"any but {other}"
    else:
        favour, because = _favour(plan, entity_plan, relation)
        picks = _picks(plan, entity_plan, relation, favour, target_total)
        find = _picked(picks)

    find, extra, needs = _with_presence(plan, entity_plan, relation, find)
    return ReferencePlan(
        relation=relation,
        targets=_with_fixed(plan, entity_plan, relation, find),
        because=because + extra,
        picks=picks,
        needs=needs,
    )


def _by_digit(plan: Plan, entity_plan: EntityPlan, relation: Relation, number: int, bits: Bits) -> Targets:
    """The digit is the target, or its owner, or the distance from a reference of the rule from which it must differ."""
    other, target = relation.unlike, plan.entities[relation.target]
    total = target.total
    component = entity_plan.components[number]
    digits = (*component.core, *(digit for petal in component.petals for digit in petal))
    if target.owner is not None and any(digit.through and digit.name == relation.name for digit in digits):
        split = target.owner.split

        def one_of(rows: Rows) -> NDArray[np.int64]:
            owners = rows.digit(number, relation.name).astype(np.int64)
            return split.starts(owners) + bits.below(split.counts(owners).astype(np.uint64), rows.ordinals).astype(np.int64)

        return one_of
    if other is not None and beside(entity_plan, other, number):
        return lambda rows: (rows.targets(other) + 1 + rows.digit(number, relation.name).astype(np.int64)) % total
    return lambda rows: rows.digit(number, relation.name).astype(np.int64)


def beside(entity_plan: EntityPlan, relation: str, number: int) -> bool:
    """Whether a relation is laid out with component `number`: as one of its digits, or as the owner of its groups."""
    owned = entity_plan.owner is not None and entity_plan.owner.relation == relation
    return digit_of(entity_plan, relation, relation=True) == number or (owned and entity_plan.components[number].within_owner)


def is_settled(entity_plan: EntityPlan, relation: str) -> bool:
    """Whether a relation's targets follow from the layout, so that another reference must give way to it."""
    owned = entity_plan.owner is not None and entity_plan.owner.relation == relation
    tabled = entity_plan.tabled is not None and relation in entity_plan.tabled.relations
    return owned or tabled or digit_of(entity_plan, relation, relation=True) is not None


def _must_differ(entity_plan: EntityPlan, relation: Relation) -> str | None:
    """The reference that this one must differ from, said on either of the two; a digit is never the one that gives way."""
    if relation.unlike is not None:
        return relation.unlike
    for other in entity_plan.entity.relations:
        if other.unlike == relation.name and is_settled(entity_plan, other.name):
            return other.name
    return None


def _by_owner(rows: Rows) -> NDArray[np.int64]:
    return rows.owners()[0]


def _worked_out(name: str) -> Targets:
    def find(rows: Rows) -> NDArray[np.int64]:
        return rows.cells.choices(rows.plan.name).targets[name][rows.ordinals]

    return find


def _implied(bringer: str, target: str, onward: str) -> Targets:
    """Where the row leads that another reference points to."""

    def find(rows: Rows) -> NDArray[np.int64]:
        at = rows.targets(bringer)
        there = np.maximum(at, 0)
        low, high = (int(there.min()), int(there.max())) if there.size else (0, 0)
        if there.size > 1 and high - low < 2 * there.size:  # most of a range is reached: each of its rows is worked out once
            led = rows.cells.rows(target, np.arange(low, high + 1)).targets(onward)[there - low]
        else:
            led = rows.cells.rows(target, there).targets(onward)
        return np.where(at < 0, -1, led)

    return find


def _agreeing(bits: Bits, name: str) -> Targets:
    """One of the rows that agree with what other references bring."""
    return lambda rows: rows.cells.groups(rows.plan.name, name).pick(bits.words(rows.ordinals), rows.targets)


def _nothing(rows: Rows) -> NDArray[np.int64]:
    return np.full(len(rows), -1, np.int64)


def _picked(picks: ByClass) -> Targets:
    return lambda rows: picks.owner_of(rows.ordinals)


def _earlier(bits: Bits, first: int) -> Targets:
    """A row before this one, so that nothing is its own ancestor; the first refers to none, or to itself where it must."""

    def find(rows: Rows) -> NDArray[np.int64]:
        before = bits.below(np.maximum(rows.ordinals, 1).astype(np.uint64), rows.ordinals).astype(np.int64)
        return np.where(rows.ordinals == 0, first, before)

    return find


def _unlike(bits: Bits, other: str, total: int) -> Targets:
    """The other reference's target moved on by 1 … total-1 places: every target but that one, all equally likely."""

    def find(rows: Rows) -> NDArray[np.int64]:
        moved = bits.below(max(1, total - 1), rows.ordinals).astype(np.int64) + 1
        return (np.maximum(rows.targets(other), 0) + moved) % total

    return find


def _favour(plan: Plan, entity_plan: EntityPlan, relation: Relation) -> tuple[Favour, str]:
    if relation.favour is not None:
        favour = relation.favour
    else:
        lookup = plan.entities[relation.target].generated == 0
        favour = EVEN if lookup or plan.entities[relation.target].total < 2 else Favour()
    if favour == EVEN:
        return favour, "any, evenly"
    return favour, f"any; {favour.few:.0%} of them take {favour.take:.0%}"


def _picks(plan: Plan, entity_plan: EntityPlan, relation: Relation, favour: Favour, owners: int) -> ByClass:
    """Shares from the declared counts per owner, where `--rows` took their place, else from favour."""
    shares = popularity(favour.few, favour.take)
    rows = entity_plan.entity.rows
    if isinstance(rows, PerOwner) and rows.per == relation.name and (table := per_owner_table(rows)) is not None and table.any():
        shares = from_counts(table)
    name = entity_plan.name
    return ByClass.build(
        owners, max(1, entity_plan.total), shares,
        key(plan.seed, name, relation.name, "popularity"), key(plan.seed, name, relation.name, "children"),
    )  # fmt: skip


def _with_presence(
    plan: Plan, entity_plan: EntityPlan, relation: Relation, find: Targets
) -> tuple[Targets, str, tuple[Cell, ...]]:
    entity = entity_plan.entity
    differing = _must_differ(entity_plan, relation)
    needs: tuple[Cell, ...] = ()
    if differing is not None and (differing == relation.unlike or not is_settled(entity_plan, relation.name)):
        needs = tuple((entity.name, column) for column in entity.relation(differing).columns)
    owned = entity_plan.owner is not None and entity_plan.owner.relation == relation.name
    if owned or not all(entity.field(column).nullable for column in relation.columns):
        return find, "", needs
    present = relation.present or entity.field(relation.columns[0]).present or Present(share=USUAL_SHARE)
    is_there, said, more = presence(plan, entity_plan, relation.name, present)

    def sometimes(rows: Rows) -> NDArray[np.int64]:
        return np.where(is_there(rows), find(rows), -1)

    return sometimes, f", {said}", (*needs, *more)


def presence(
    plan: Plan, entity_plan: EntityPlan, name: str, present: Present
) -> tuple[Callable[[Rows], Any], str, tuple[Cell, ...]]:
    """Whether each row has a value: a function of rows that gives booleans, what to say of it, and the cells it reads."""
    bits = Bits(plan.seed, entity_plan.name, name, "presence")
    share = present.share if present.share is not None else USUAL_SHARE
    limit = np.uint64(min(round(share * 2.0**64), (1 << 64) - 1))
    if present.when is None:
        if share >= 1:
            return (lambda rows: np.ones(len(rows), bool)), "always there", ()
        return (lambda rows: bits.words(rows.ordinals) < limit), f"there in {share:.0%}", ()
    expression = parse(present.when)
    paths = {path: resolve_path(entity_plan.entity, path) for path in expression.paths}

    def when(rows: Rows) -> Any:
        truth = expression.evaluate(lambda path: rows.path(paths[path]), len(rows))
        return truth.fill_null(False).to_numpy(zero_copy_only=False)

    needs = tuple(path_cell(entity_plan, path) for path in paths.values())
    if present.share is None:
        return when, f"there when {present.when}", needs
    return (
        (lambda rows: when(rows) & (bits.words(rows.ordinals) < limit)),
        f"there in {share:.0%} of those with {present.when}",
        needs,
    )


def _with_fixed(plan: Plan, entity_plan: EntityPlan, relation: Relation, find: Targets) -> Targets:
    """Fixed rows that give a reference's columns point to the row with that key."""
    if not entity_plan.fixed:
        return find
    given: list[int | None] = []
    for row in entity_plan.entity.fixed:
        values = dict(row)
        if not any(column in values for column in relation.columns):
            given.append(None)
        elif any(values.get(column) is None for column in relation.columns):
            given.append(-1)
        else:
            given.append(find_key(plan, relation, tuple(str(values[column]) for column in relation.columns)))
    if all(ordinal is None for ordinal in given):
        return find
    said = np.array([ordinal is not None for ordinal in given])
    table = np.array([-1 if ordinal is None else ordinal for ordinal in given], np.int64)

    def targets(rows: Rows) -> NDArray[np.int64]:
        out = find(rows)
        fixed = np.flatnonzero(rows.ordinals < len(table))
        fixed = fixed[said[rows.ordinals[fixed]]]
        if fixed.size:
            out = out.copy()
            out[fixed] = table[rows.ordinals[fixed]]
        return out

    return targets


def find_key(plan: Plan, relation: Relation, texts: tuple[str, ...]) -> int:
    """The ordinal of the target's row with these key texts: a fixed row, or one that counts up; -2 where none is known."""
    target = plan.entities[relation.target]
    for ordinal, row in enumerate(target.entity.fixed):
        values = dict(row)
        if tuple(values.get(column) for column in relation.target_columns) == texts:
            return ordinal
    field = target.fields.get(relation.target_columns[0])
    if len(texts) == 1 and field is not None and field.counts_up:
        ordinal = int(texts[0]) - counting_base(target, field.field.name)
        if 0 <= ordinal < target.total and field.field.name not in dict(
            target.entity.fixed[ordinal] if ordinal < target.fixed else ()
        ):
            return ordinal
    return -2


def counting_base(entity_plan: EntityPlan, field: str) -> int:
    """Ordinal o has the number base + o: past every number that fixed rows give, else from 1."""
    given = [int(text) for row in entity_plan.entity.fixed if (text := dict(row).get(field)) is not None]
    return max(given) + 1 - (0 if len(given) < entity_plan.fixed else entity_plan.fixed) if given else 1
