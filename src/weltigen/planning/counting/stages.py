"""Of a later stage: which entities get rows and which are kept, and what cannot be added."""

from __future__ import annotations

from dataclasses import replace

from ...expression import NotEvaluableError
from ...model import Entity, PerOwner, PerPair, Problem, RowCount
from ...model.histories import history_of
from ...model.phrases import plural
from ...plan.entity import EntityPlan
from ...plan.formulas import Formula, bind
from ...plan.plan import Plan
from ...plan.stages import as_kept, first_row


def stays_as_it_is(plan: Plan, entity: Entity) -> bool:
    """Whether a later stage adds nothing to an entity unless it is asked to: its rows belong to rows that are kept."""
    assert plan.before is not None
    if entity.name in plan.asked:
        return False
    told, rows = history_of(plan.world, entity.name), entity.rows
    if told is not None:
        return told.name in plan.kept
    if isinstance(rows, PerOwner):
        return entity.relation(rows.per).target in plan.kept
    if isinstance(rows, PerPair):
        return all(entity.relation(name).target in plan.kept for name in rows.per)
    if isinstance(rows, RowCount):
        return rows.number <= 1
    before = plan.before.entities[entity.name].entity
    return rows is None and bool(before.fixed) and not before.there


def new_rows(plan: Plan, entity: str) -> int:
    """The rows that a plan itself makes of an entity."""
    return 0 if entity in plan.kept else plan.entities[entity].total


def keep_or_add(plan: Plan, earlier: EntityPlan, counted: EntityPlan) -> Plan:
    """The plan with an entity's rows, or with those of earlier stages where there are none to add."""
    if not counted.total:
        return replace(plan.with_entity(as_kept(earlier)), kept=plan.kept | {counted.name})
    if not earlier.total:
        return plan
    return plan.with_entity(replace(counted, earlier=earlier, origin=earlier.origin or earlier))


def pair_of(plan: Plan, entity_plan: EntityPlan, rows: PerPair) -> tuple[tuple[EntityPlan, PerPair] | None, list[Problem]]:
    """Rows for each combination in a later stage: of the entities combined one may get rows, and each of these owns some."""
    entity = entity_plan.entity
    added = [name for name in rows.per if entity.relation(name).target not in plan.kept]
    if len(added) > 1 and any(first_row(plan, entity.relation(name).target) for name in added):
        names = " and ".join(dict.fromkeys(entity.relation(name).target for name in added))
        fact = f"{entity.name} has a row for each {' and '.join(rows.per)}, and this stage adds rows of {names}"
        return None, [
            Problem(fact=fact, place=rows.place, hint="add rows of one of these in each stage, or say how many it gets")
        ]
    order = tuple(sorted(rows.per, key=lambda name: name not in added))
    turned = replace(rows, per=order)
    return (replace(entity_plan, entity=replace(entity, rows=turned)), turned), []


def disturbed(plan: Plan) -> list[Problem]:
    """Rows that cannot be added, since the rows they refer to are there already and are made from all that refers to them."""
    if plan.before is None:
        return []
    problems: dict[str, Problem] = {}
    for name in plan.order:
        entity = plan.entities[name].entity
        for relation in entity.relations:
            if relation.target not in plan.kept or relation.target == name:
                continue
            owner = plan.before.entities[relation.target]
            made = [
                said for said, formula in (_formulas(plan, owner) if owner.total else ())
                if any(one.relation.entity == name and one.relation.name == relation.name for one in formula.aggregates.values())
            ]  # fmt: skip
            if made:
                shown = list(dict.fromkeys(made))
                named = ", ".join(shown) if len(shown) < 4 else f"{', '.join(shown[:2])} and {len(shown) - 2} more"
                verb = "is" if len(shown) == 1 else "are"
                fact = f"{relation.label} would give more rows to {owner.name} of an earlier stage"
                problems[relation.label] = Problem(
                    fact=f"{fact}, but {named} {verb} made from all of them", place=relation.place,
                    hint=f"add rows of {owner.name} too: they get rows of {name} of their own",
                )  # fmt: skip
    for name in plan.kept:
        for relation in plan.entities[name].entity.relations:
            spread = relation.spread
            if spread is not None and spread.least and not spread.none and relation.target not in plan.kept:
                least, added = plural(spread.least, "row"), plan.entities[relation.target].total
                fact = (
                    f"{relation.label}: each {relation.target} has at least {least}, but this stage adds {relation.target} alone"
                )
                hint = f"add rows of {name} too: --rows {name}={spread.least * added}"
                problems[relation.label] = Problem(fact=fact, place=spread.place, hint=hint)
    return list(problems.values())


def _formulas(plan: Plan, entity_plan: EntityPlan) -> list[tuple[str, Formula]]:
    """What is made from formulas in an entity, and the checks of it."""
    entity = entity_plan.entity
    out: list[tuple[str, Formula]] = []

    for name, field in entity_plan.fields.items():
        out += [(f"{entity.name}.{name}", formula) for formula in field.way.formulas]
        if field.field.present is not None and field.field.present.when is not None:
            out += _bound(plan, entity, f"{entity.name}.{name}", field.field.present.when)
    for check in entity.checks:
        out += _bound(plan, entity, f"{entity.name}: {check}", check.expression, check.dialect)
    return out


def _bound(plan: Plan, entity: Entity, said: str, text: str, dialect: str | None = None) -> list[tuple[str, Formula]]:
    try:
        return [(said, bind(plan.world, entity, text, dialect))]
    except NotEvaluableError:
        return []  # a function of the database, which is reported where the entity is planned
