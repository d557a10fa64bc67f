"""Pass: checks that no limit expresses are met by attempts: rows that fail one are made again, all at once."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace

import pyarrow as pa

from ...expression import NotEvaluableError
from ...model import Check, Problem
from ...model.changing import changed
from ...model.graphs import connected_groups
from ...model.origins import Status
from ...model.paths import Cell
from ...plan.entity import EntityPlan
from ...plan.fields import Computed, Constant, Counting, FromReference, Spaced
from ...plan.formulas import Formula, bind, tried_on_nothing
from ...plan.plan import Plan
from ...plan.ports import redraw_key
from ...plan.references import ReferencePlan
from ...plan.rejection import RejectionGroup
from ..knowledge.promises import ends_of_texts, moving_limits, promised, unproven
from ..knowledge.ranges import Ranges
from ..knowledge.settled import digit_of, is_settled, ordered_freely
from .picking_again import free_pairs, giving_way, picked_again, picking_again, referring_to_none


@dataclass(frozen=True, slots=True, eq=False)
class _Open:
    """A check for which the fields `made` are made again, or references picked again, by the names that rows have for these;
    `given`: only where fixed rows give a part of it. References in `to_none` refer to nothing where it fails."""

    check: Check
    formula: Formula
    given: bool
    made: set[str]
    to_none: frozenset[str] = frozenset()


def _in_the_layout(plan: Plan, entity_plan: EntityPlan, formula: Formula) -> bool:
    """Whether a check orders two references of a unique rule, which are laid out in that order, or picked in it."""
    columns = {path[0] for path in formula.paths.values() if len(path) == 1}
    if len(columns) != len(formula.paths) or formula.aggregates:
        return False
    for relation in entity_plan.entity.relations:
        if relation.above is None:
            continue
        other = entity_plan.entity.relation(relation.above)
        laid = is_settled(entity_plan, relation.name) and is_settled(entity_plan, other.name)
        if columns == {*relation.columns, *other.columns} and (laid or ordered_freely(plan, entity_plan, relation)):
            return True
    return False


def _turns_round(plan: Plan, entity_plan: EntityPlan, one: _Open, group: list[_Open]) -> bool:
    """Whether a check reads a sum over children which read, in turn, what is made again for it: it can only be watched."""
    made = {(entity_plan.name, field) for other in group for field in other.made}
    own = [_computed(entity_plan, name) for name in one.made]
    formulas = [one.formula, *(computed for computed in own if computed is not None)]
    seen: set[Cell] = set()
    waiting = [cell for formula in formulas if formula.aggregates for cell in formula.needs if cell[0] != entity_plan.name]
    while waiting:
        cell = waiting.pop()
        if cell in made:
            return True
        if cell not in seen:
            seen.add(cell)
            filler = plan.entities[cell[0]].fillers.get(cell[1])
            waiting += filler.needs if filler is not None else ()
    return False


def settle_checks(plan: Plan) -> Plan:
    notes = list(plan.notes)
    problems: list[Problem] = []
    settled: list[EntityPlan] = []
    for name in plan.order:
        entity_plan = plan.entities[name]
        open_, watched = _told_apart(plan, entity_plan, problems, notes)
        groups = connected_groups(open_, lambda one: one.made)
        while turning := [one for group in groups for one in group if _turns_round(plan, entity_plan, one, group)]:
            watched += [(one.check, one.formula) for one in turning]
            groups = connected_groups([one for group in groups for one in group if one not in turning], lambda one: one.made)
        found, references = _groups(plan, entity_plan, groups)
        settled.append(changed(entity_plan, rejection_groups=found, verified_checks=tuple(watched), references=references))
    return replace(plan, notes=tuple(notes)).with_entities(settled).with_problems(problems)


_Watched = list[tuple[Check, Formula]]


def _told_apart(plan: Plan, entity_plan: EntityPlan, problems: list[Problem], notes: list[str]) -> tuple[list[_Open], _Watched]:
    """The checks for which something can be made again, and those that can only be watched."""
    watched: _Watched = []
    open_: list[_Open] = []
    beforehand = [check for check, _ in entity_plan.precomputed.checks] if entity_plan.precomputed is not None else []
    for check, given in _open_checks(plan, entity_plan, problems):
        if any(check is one for one in beforehand):
            continue
        try:
            formula = _condition(plan, entity_plan, check)
        except NotEvaluableError as error:
            if check.dialect is None and not given:
                problems.append(Problem(fact=f"{entity_plan.name}.checks: {error}", place=check.place))
            elif not given:
                notes.append(f"{entity_plan.name}: {error}: rows may break it")
            continue
        read = _own_cells(entity_plan, formula)
        free = {field for field in read if _is_free(entity_plan, field)}
        if free:
            made = free | {field for field in read if _computed(entity_plan, field) is not None}
            # numbers and moments can usually be drawn again alone; not so texts, nor what stands beside a reference
            bound = any(read & set(relation.columns) for relation in entity_plan.entity.relations)
            bound |= any(entity_plan.fields[field].axis is None for field in free)
            made |= picked_again(plan, entity_plan, formula, read) if bound and not given else set()
            open_.append(_Open(check, formula, given, made))
        elif not given and not _in_the_layout(plan, entity_plan, formula):
            picked = picked_again(plan, entity_plan, formula, read)
            to_none = set() if picked else giving_way(plan, entity_plan, read)
            open_ += [_Open(check, formula, False, picked | to_none, frozenset(to_none))] if picked | to_none else []
            watched += [] if picked | to_none else [(check, formula)]
    return open_, watched


def _condition(plan: Plan, entity_plan: EntityPlan, check: Check) -> Formula:
    """What a check means; NotEvaluableError where it means nothing, or divides by nothing in a world file."""
    formula = bind(plan.world, entity_plan.entity, check.expression, check.dialect)
    arrow = tried_on_nothing(plan.world, formula)  # what makes no sense is told now, not in the midst of the rows
    if check.dialect is None:
        if not pa.types.is_boolean(arrow) and not pa.types.is_null(arrow):
            raise NotEvaluableError(f"'{check.expression}' is not a condition")
        if (said := Ranges(plan, entity_plan).divides_by_nothing(formula)) is not None:
            raise NotEvaluableError(said)
    return formula


def _groups(
    plan: Plan, entity_plan: EntityPlan, groups: list[list[_Open]]
) -> tuple[tuple[RejectionGroup, ...], dict[str, ReferencePlan]]:
    """What is made again together, and the references, of which some are picked again."""
    out: list[RejectionGroup] = []
    references = dict(entity_plan.references)
    for group in groups:
        every = frozenset().union(*(one.made for one in group))
        relations = frozenset(name for name in references if redraw_key(name) in every)
        checks = tuple((one.check, one.formula) for one in group)
        fields = every - frozenset(map(redraw_key, relations))
        out.append(RejectionGroup(fields=fields, checks=checks, given=all(one.given for one in group), relations=relations))
        single = relations - set(free_pairs(plan, entity_plan))  # a pair is made so that it can be picked again
        picked = frozenset().union(*(one.made - one.to_none for one in group))
        references |= {
            name: picking_again(plan, entity_plan, references[name], len(relations) == 1) if redraw_key(name) in picked
            else referring_to_none(references[name])
            for name in single
        }  # fmt: skip
        references |= {name: replace(references[name], redrawn="another") for name in relations - single}
    return tuple(out), references


def _open_checks(plan: Plan, entity_plan: EntityPlan, problems: list[Problem]) -> Iterator[tuple[Check, bool]]:
    """The checks that are tried; with each, whether construction meets it but where fixed rows give a part of it."""
    computed = [name for name, own in entity_plan.fields.items() if isinstance(own.way, Computed | Constant)]
    for check in entity_plan.entity.checks:
        if check.status is Status.UNREADABLE or _sieved(entity_plan, check):
            continue
        if check.status is Status.MET:
            if not computed and not entity_plan.entity.fixed:
                continue  # every value is made within the limits that the check became
            names = _names(plan, entity_plan, check)
            if not names & set(computed):  # limits that a check became say nothing to a field that is computed
                if _given_in_part(entity_plan, names):
                    yield check, True
                continue
            yield from ((one, False) for one in unproven(plan, entity_plan, check, problems))
            continue
        yield check, False
    for name, own in entity_plan.fields.items():
        unbound = (
            own.axis is None or own.field.type.wide or isinstance(own.way, Counting | FromReference | Spaced)
        )  # it is not made between ends
        if unbound and name not in computed:
            yield from ((limit, False) for limit in moving_limits(entity_plan, name))
        if own.axis is None and name not in computed and not isinstance(own.way, FromReference):
            yield from ((limit, False) for limit in ends_of_texts(entity_plan, name))
    for name in computed:
        if _computed(entity_plan, name) is None:
            for limit in moving_limits(entity_plan, name):
                yield limit, False
            continue
        for limit in promised(plan, entity_plan, name, problems):
            yield limit, False


def _sieved(entity_plan: EntityPlan, check: Check) -> bool:
    """Whether the only field that a check reads has no value that breaks it, in any row; fixed rows are looked at elsewhere."""
    return any(
        own.check is check and name in entity_plan.fields and entity_plan.fields[name].kept
        and not entity_plan.fillers[name].overrides  # rows that are filled in another way have other values
        for name, checks in entity_plan.own_checks.items() for own in checks
    )  # fmt: skip


def _names(plan: Plan, entity_plan: EntityPlan, check: Check) -> set[str]:
    try:
        formula = bind(plan.world, entity_plan.entity, check.expression, check.dialect)
    except NotEvaluableError:
        return set()
    return {path[0] for path in formula.paths.values() if len(path) == 1}


def _given_in_part(entity_plan: EntityPlan, names: set[str]) -> bool:
    """Whether a fixed row gives some of what a check is about, and leaves some to be made."""
    return any(0 < len(names & {name for name, _ in row}) < len(names) for row in entity_plan.entity.fixed)


def _own_cells(entity_plan: EntityPlan, formula: Formula) -> set[str]:
    """The fields of the row that a formula reads, also those behind computed ones."""
    read: set[str] = set()
    waiting = [path[0] for path in formula.paths.values() if len(path) == 1]
    while waiting:
        name = waiting.pop()
        if name in read:
            continue
        read.add(name)
        computed = _computed(entity_plan, name)
        waiting += [path[0] for path in computed.paths.values() if len(path) == 1] if computed is not None else []
    return read


def _computed(entity_plan: EntityPlan, name: str) -> Formula | None:
    """What a field is computed by."""
    way = entity_plan.fields[name].way if name in entity_plan.fields else None
    return way.formula if isinstance(way, Computed) else None


def _is_free(entity_plan: EntityPlan, name: str) -> bool:
    """Made from its own bits, and no digit of a unique rule."""
    field = entity_plan.fields.get(name)
    if entity_plan.precomputed is not None and any(digit.name == name for digit in entity_plan.precomputed.fields):
        return False
    return field is not None and field.way.redrawable and digit_of(entity_plan, name, relation=False) is None
