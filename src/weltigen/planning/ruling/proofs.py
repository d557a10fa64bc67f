"""Pass: what no rows can meet is found by counting, and all of it is reported together."""

from __future__ import annotations

from dataclasses import replace
from math import prod

from ...model import PerOwner, Problem, Relation
from ...model.graphs import depth_first
from ...model.paths import Cell
from ...model.phrases import plural
from ...plan.components import Component, Digit, used_digits
from ...plan.entity import EntityPlan
from ...plan.fields import Converted, Counting
from ...plan.plan import Plan
from ...rows.positions import most_in_group
from ..knowledge.agreeing import is_chain
from ..knowledge.settled import beside, digit_of, is_settled
from .given import given_problems


def prove_feasible(plan: Plan) -> Plan:
    problems: list[Problem] = []
    notes = list(plan.notes)
    for name in plan.order:
        entity_plan = plan.entities[name]
        for component in entity_plan.components:
            problems += _too_many(plan, entity_plan, component)
        problems += _too_many_precomputed(plan, entity_plan)
        problems += _numbers_run_out(entity_plan) + _null_sources(entity_plan)
        for relation in entity_plan.entity.relations:
            problems += _reference_problems(plan, entity_plan, relation)
        problems += given_problems(plan, entity_plan, notes)
        problems += _too_long_chains(entity_plan)
    problems += _circles(plan)
    return replace(plan, notes=tuple(notes)).with_problems(problems)


def _too_many(plan: Plan, entity_plan: EntityPlan, component: Component) -> list[Problem]:
    """More rows in a group than a rule has values."""
    place = entity_plan.entity.rows.place if entity_plan.entity.rows else entity_plan.entity.place
    if component.strata or component.siblings is not None:
        return []  # counted when its groups are known
    if component.ancestors:
        most = most_in_group(plan, entity_plan, component)
        said = f"up to {most:,} rows for each {component.ancestors[-1]}"
    elif component.within_owner and entity_plan.owner is not None:
        most = entity_plan.owner.split.most
        owner = entity_plan.entity.relation(entity_plan.owner.relation).target
        said = f"up to {most:,} rows for each {owner}"
        if not component.petals and most > 1:
            return [Problem(fact=f"{entity_plan.name}: {component.rules[0]} allows one row for each {owner}, not {said}",
                            place=place, hint=f"rows: {{per: {owner}, least: 0, most: 1, mean: …}}")]  # fmt: skip
    else:
        most = entity_plan.total + component.position_offset
        said = f"{most:,} rows" + (
            f", {component.position_offset:,} of them of earlier stages" if component.position_offset else ""
        )
        if not entity_plan.generated and not any(_left_out(entity_plan, d.name) for p in component.petals for d in p):
            return []
    if component.core:
        most = -(-most // component.core_space)
        said = f"{said} over {component.core_space:,} values of {', '.join(d.name for d in component.core)}"
    out = []
    for rule, petal in zip(component.rules, component.petals, strict=False):
        used, _ = used_digits(petal, most)
        space = prod(digit.radix for digit in used)
        if space < most:
            what = " × ".join(_spaces(entity_plan, petal))
            fits = "only 1 row fits" if space == 1 else f"at most {space:,} rows fit"
            out.append(Problem(fact=f"{entity_plan.name}: {rule} has only {what} for {said}", place=place,
                               hint=f"{fits}, or widen {', '.join(d.name for d in petal)}",
                               room=(entity_plan.name, entity_plan.generated * space // most)))  # fmt: skip
    return out


def _too_many_precomputed(plan: Plan, entity_plan: EntityPlan) -> list[Problem]:
    """More rows than a rule has values, of rules whose rows are worked out beforehand."""
    precomputed, out = entity_plan.precomputed, []
    if precomputed is None:
        return []
    radix = {digit.name: digit.radix for digit in precomputed.fields}
    some = [rule for rule, _ in precomputed.conditions]  # of rules over some of the rows the others ask for no room
    for rule in (one for one in precomputed.rules if one not in some):
        space = 1
        for name, values in radix.items():
            space *= values if name in rule.columns else 1
        for relation in entity_plan.entity.relations:
            if set(relation.columns) & set(rule.columns):
                space *= max(1, plan.entities[relation.target].total)
        before = entity_plan.earlier_rows if str(rule) in precomputed.beside else 0
        if space < entity_plan.total + before:
            fact = f"{entity_plan.name}: {rule} has only {space:,} values for {entity_plan.total + before:,} rows"
            fact += f", {before:,} of them of earlier stages" if before else ""
            fits = max(0, space - before)
            room = (entity_plan.name, fits - entity_plan.fixed)
            out.append(Problem(fact=fact, place=rule.place, hint=f"at most {fits:,} rows fit", room=room))
    return out


def _left_out(entity_plan: EntityPlan, name: str) -> bool:
    return any(name not in dict(row) for row in entity_plan.entity.fixed)


def _spaces(entity_plan: EntityPlan, petal: tuple[Digit, ...]) -> list[str]:
    """What each digit holds; of two references that stand in order, the pairs that there are."""
    radix = {digit.name: digit.radix for digit in petal}
    said, left = [], list(petal)
    for relation in entity_plan.entity.relations:
        if relation.above in radix and relation.name in radix:
            pairs = radix[relation.name] * radix[str(relation.above)]
            said.append(f"{plural(pairs, 'pair')} of {relation.target}, of which {relation.above} is the lower")
            left = [digit for digit in left if digit.name not in (relation.name, relation.above)]
    return said + [_what(entity_plan, digit) for digit in left]


def _what(entity_plan: EntityPlan, digit: Digit) -> str:
    if digit.relation:
        return f"{plural(digit.radix, 'row')} of {entity_plan.entity.relation(digit.name).target}"
    return f"{plural(digit.radix, 'value')} of {digit.name}"


def _numbers_run_out(entity_plan: EntityPlan) -> list[Problem]:
    out = []
    for field_plan in entity_plan.fields.values():
        way = field_plan.way
        if not isinstance(way, Counting):
            continue
        rows = entity_plan.earlier_rows + entity_plan.total - (way.first if way.numbers is not None else 0)
        if entity_plan.generated and rows > way.room:
            name = f"{entity_plan.name}.{field_plan.field.name}"
            out.append(Problem(fact=f"{name} counts up, and there are only {way.room:,} numbers for {rows:,} rows",
                               place=field_plan.field.place, hint="fewer rows, or a wider type",
                               room=(entity_plan.name, entity_plan.generated - (rows - way.room))))  # fmt: skip
    return out


def _reference_problems(plan: Plan, entity_plan: EntityPlan, relation: Relation) -> list[Problem]:
    entity, target = entity_plan.entity, plan.entities[relation.target]
    nullable = all(entity.field(column).nullable for column in relation.columns)
    if entity_plan.total and not nullable and not target.total:
        return [Problem(fact=f"{relation.label} must refer to a row of {relation.target}, which has none", place=relation.place,
                        hint=f"give {relation.target} rows")]  # fmt: skip
    if relation.unlike is not None and target.total < 2 and entity_plan.total and not nullable:
        return [Problem(fact=f"{relation.label} must differ from {relation.unlike}, but {relation.target} has {target.total} row",
                        place=relation.place, hint=f"give {relation.target} at least two rows")]  # fmt: skip
    if relation.unlike is not None and is_settled(entity_plan, relation.name) and is_settled(entity_plan, relation.unlike):
        number = digit_of(entity_plan, relation.name, relation=True)
        together = entity_plan.precomputed is not None and {relation.name, relation.unlike} <= set(
            entity_plan.precomputed.relations
        )
        if not together and (number is None or not beside(entity_plan, relation.unlike, number)):
            return [Problem(fact=f"{relation.label} and {relation.unlike} must differ, but belong to separate unique rules",
                            place=relation.place, hint="such a layout is not supported yet")]  # fmt: skip
    rows = entity.rows
    owned = isinstance(rows, PerOwner) and rows.per == relation.name
    if owned and nullable and relation.present is not None:
        return [Problem(fact=f"{relation.label} is always there, since {relation.target} owns these rows", place=relation.place)]
    return []


_LONGEST_CHAIN = 40  # rows that follow each other: each is worked out from the one before it, back to the first


def _too_long_chains(entity_plan: EntityPlan) -> list[Problem]:
    """Fields that follow the row before, along a chain through all rows."""
    entity, out = entity_plan.entity, []
    chains = {relation.name for relation in entity.relations if is_chain(entity, relation)}
    if not chains or entity_plan.total <= _LONGEST_CHAIN:
        return []
    for name, field_plan in entity_plan.fields.items():
        paths = [bound.path for bound in field_plan.cell_bounds]
        paths += [path for formula in field_plan.way.formulas for path in formula.paths.values()]
        if any(path[0] in chains and len(path) == 2 and path[1] == name for path in paths):
            source, rows = field_plan.field.source, f"{entity_plan.total:,} rows"
            bound = next((bound for bound in field_plan.field.limits.bounds if bound.path), source)
            place = bound.place if bound is not None else field_plan.field.place
            fact = f"{entity.name}.{name} follows the row before, through {rows}, each of which would need all before it"
            hint = f"at most {_LONGEST_CHAIN} rows, or a reference that is not unique: a tree, an earlier row"
            out.append(Problem(fact=fact, place=place, hint=hint))
    return out


def _null_sources(entity_plan: EntityPlan) -> list[Problem]:
    """A text that must be there, made from one that need not be."""
    out = []
    for name, field_plan in entity_plan.fields.items():
        way = field_plan.way
        if isinstance(way, Converted) and way.may_lack and not field_plan.field.nullable:
            fact = f"{entity_plan.name}.{name} is made from {way.of.field}, which may be null"
            hint = "name another field: kind: {slug: {of: FIELD}}"
            out.append(Problem(fact=fact, place=field_plan.field.place, hint=hint))
    return out


def _circles(plan: Plan) -> list[Problem]:
    """Columns that need each other: a circle has no first value."""

    def needs(cell: Cell) -> tuple[Cell, ...]:
        filler = plan.entities[cell[0]].fillers.get(cell[1])
        return filler.needs if filler is not None else ()

    cells = ((name, field) for name in plan.order for field in plan.entities[name].fillers)
    problems = []
    for circle in depth_first(cells, needs)[1]:
        named = " → ".join(f"{entity}.{field}" for entity, field in circle)
        entity, field = circle[-2]
        place = plan.entities[entity].entity.field(field).place
        problems.append(Problem(fact=f"{named}: each needs the other first", place=place, hint="drop one of these rules"))
    return problems
