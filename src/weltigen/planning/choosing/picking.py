"""Pass: how each reference finds its target; what is wished for and cannot be kept is reported."""

from __future__ import annotations

from dataclasses import replace

from ...model import Place, Present, Problem, Relation
from ...model.changing import changed
from ...model.paths import Cell
from ...plan.agreement import CandidateFilter
from ...plan.entity import EntityPlan, may_be_null
from ...plan.formulas import bind
from ...plan.plan import Plan
from ...plan.references import CohortReference, ReferencePlan, Targets
from ...plan.ways.agreeing import OfCohort
from ...plan.ways.own_rows import InTree
from ...plan.ways.way import ReferenceWay
from ...randomness import Bits
from ..knowledge.cohort_counts import child_counts
from ..knowledge.favour import favour_of
from ..knowledge.presence import USUAL, presence
from ..knowledge.settled import is_settled, must_differ
from ..making.demanding import Demand, conditional, demands_on
from .needed_cells import agreed_cells, differing_cells
from .over_ways import of_some, sometimes, with_fixed
from .ways import way_of


def choose_targets(plan: Plan) -> Plan:
    chosen: list[EntityPlan] = []
    problems: list[Problem] = []
    ignored = list(plan.ignored)
    conditions = conditional(plan.world)
    for name in plan.order:
        entity_plan = plan.entities[name]
        references: dict[str, ReferencePlan] = {}
        demands = [demand for demand in demands_on(plan, entity_plan, conditions.get(name, [])) if demand.ways]
        for relation in entity_plan.entity.relations:
            if relation.target in plan.kept and relation.spread is not None:  # its rows had their number before these came
                relation = replace(relation, spread=None)
                ignored.append(f"{relation.label}: `rows`, since the {relation.target} are of an earlier stage")
            try:
                found = _plan_one(plan, entity_plan, relation)
            except ValueError as error:
                problems.append(Problem(fact=f"{relation.label}: {error}", place=_place(relation), hint=_hint(plan, relation)))
                found = ReferencePlan.impossible(relation)
            if relation.favour is not None and found.favour is None and entity_plan.total:
                words = found.way.explained(entity_plan.entity)
                ignored.append(f"{relation.label}: `favour`, since this reference is {words}")
            found = _of_cohorts(plan, entity_plan, found, problems)
            references[relation.name] = _as_demanded(plan, entity_plan, found, demands)
        chosen.append(changed(entity_plan, references=references))
    return replace(plan, ignored=tuple(ignored)).with_entities(chosen).with_problems(problems)


def _plan_one(plan: Plan, entity_plan: EntityPlan, relation: Relation) -> ReferencePlan:
    way = way_of(plan, entity_plan, relation)
    counts = child_counts(plan, entity_plan.entity, relation.name)
    owned = entity_plan.owner is not None and entity_plan.owner.relation == relation.name
    words = way.explained(entity_plan.entity)
    if counts and not owned and "children" not in way.satisfied and entity_plan.total:
        name, _ = counts[0]
        raise ValueError(f"the row count per member of the cohort {name} cannot be kept, since this reference is {words}")
    if owned and relation.where is not None:
        raise ValueError(f"only rows where {relation.where.expression} may be referred to, but this reference is {words}")
    lost = [word for word in _wishes(relation) if word not in way.satisfied]
    if lost and lost != ["favour"]:
        raise ValueError(f"`{'` and `'.join(lost)}` cannot be kept, since this reference is {words}")
    find, present, needs = _with_presence(plan, entity_plan, relation, way)
    return ReferencePlan(
        relation=relation, way=way, targets=with_fixed(plan, entity_plan, relation, find), present=present,
        needs=(*needs, *way.needs, *agreed_cells(plan, entity_plan, relation)),
    )  # fmt: skip


def _wishes(relation: Relation) -> list[str]:
    """What the world file asks of a reference's choice, by its keys."""
    asked = {"weights": relation.weights, "rows": relation.spread, "tree": relation.tree, "favour": relation.favour}
    own = [relation.choice.way] if relation.choice is not None else []
    return [word for word, wish in asked.items() if wish] + own


def _with_presence(
    plan: Plan, entity_plan: EntityPlan, relation: Relation, way: ReferenceWay
) -> tuple[Targets, Present | None, tuple[Cell, ...]]:
    """The targets of the rows that refer to anything; which these are, where it is not all of them; and the cells they need."""
    entity, needs, find = entity_plan.entity, differing_cells(entity_plan, relation), way.targets
    owned = entity_plan.owner is not None and entity_plan.owner.relation == relation.name
    if owned or relation.tree is not None or not may_be_null(entity_plan, relation):
        return find, None, needs
    of_columns = (entity.field(c).present for c in relation.columns if entity.field(c).nullable)
    present = relation.present or next((one for one in of_columns if one is not None), None)
    if present is None and isinstance(way, InTree):
        return find, None, needs  # its roots refer to none
    present = present or USUAL
    is_there, more = presence(plan, entity_plan, relation.name, present)
    return sometimes(is_there, find), present, (*needs, *more)


def _of_cohorts(plan: Plan, entity_plan: EntityPlan, usual: ReferencePlan, problems: list[Problem]) -> ReferencePlan:
    """Rows of some cohorts find what they refer to in a way of their own."""
    relation = usual.relation
    for name, one in entity_plan.cohorts.items():
        for delta in one.cohort.references:
            if delta.name != relation.name:
                continue
            free = replace(
                relation, favour=delta.favour or relation.favour, weights=delta.weights or relation.weights,
                present=delta.present or relation.present,
            )  # fmt: skip
            try:
                way, needed = _way_in_cohort(plan, entity_plan, free, delta, name)
                own, present, needs = _with_presence(plan, entity_plan, free, way)
            except ValueError as error:
                problems.append(Problem(fact=f"{relation.label}: {error}", place=delta.wished or one.cohort.place))
                continue
            targets = with_fixed(plan, entity_plan, relation, of_some(one.subset, own, usual.targets))
            cohorts = (*usual.cohorts, CohortReference(cohort=name, way=way, present=present))
            usual = replace(usual, targets=targets, cohorts=cohorts, needs=(*usual.needs, *needs, *needed))
    return usual


def _as_demanded(plan: Plan, entity_plan: EntityPlan, usual: ReferencePlan, demands: list[Demand]) -> ReferencePlan:
    """Some rows refer to what keeps a condition, since others may refer only to such rows."""
    relation = usual.relation
    for demand in demands:
        if (where := demand.ways.get(relation.name)) is None:
            continue
        label = f"rows that {demand.relation.label} needs"
        bits = Bits(plan.stage_seed, entity_plan.name, relation.name, f"demanded by {demand.relation.label}")
        way = OfCohort(bits, relation, CandidateFilter(where=where), favour_of(plan, relation), label)
        needs = bind(plan.world, plan.entities[relation.target].entity, where.expression, where.dialect).needs
        targets = of_some(demand.subset, way.targets, usual.targets)
        cohorts = (*usual.cohorts, CohortReference(cohort=label, way=way))
        usual = replace(usual, targets=targets, cohorts=cohorts, needs=(*usual.needs, *needs))
    return usual


def _way_in_cohort(
    plan: Plan, entity_plan: EntityPlan, relation: Relation, delta: Relation, cohort: str
) -> tuple[ReferenceWay, tuple[Cell, ...]]:
    """The way of a cohort's rows, and the cells that it needs; ValueError where what the cohort sets cannot be kept."""
    way: ReferenceWay = way_of(plan, entity_plan, relation)
    needs: tuple[Cell, ...] = ()
    if delta.where is not None:
        way, needs = _where_of_cohort(plan, entity_plan, relation, delta, cohort)
    asked = {"favour": delta.favour, "weights": delta.weights}
    if lost := [word for word, wish in asked.items() if wish and word not in way.satisfied]:
        words = way.explained(entity_plan.entity)
        raise ValueError(f"`{' and '.join(lost)}` of the cohort {cohort} cannot be kept, since it is {words}")
    return way, needs


def _where_of_cohort(
    plan: Plan, entity_plan: EntityPlan, relation: Relation, delta: Relation, cohort: str
) -> tuple[OfCohort, tuple[Cell, ...]]:
    """Rows of a cohort refer only to such rows of the target; where any may be referred to otherwise."""
    assert delta.where is not None
    name = delta.name
    bound = name in entity_plan.candidate_filters or is_settled(entity_plan, name)
    bound |= must_differ(entity_plan, relation) is not None or relation.target == entity_plan.name
    if bound or delta.weights:
        words = way_of(plan, entity_plan, relation).explained(entity_plan.entity)
        why = "it gives weights as well" if delta.weights else f"it is {words}"
        raise ValueError(f"`where` of the cohort {cohort} cannot be kept, since {why}")
    bits = Bits(plan.stage_seed, entity_plan.name, name, f"reference of {cohort}")
    way = OfCohort(bits, relation, CandidateFilter(where=delta.where), favour_of(plan, relation), cohort)
    return way, bind(plan.world, plan.entities[relation.target].entity, delta.where.expression).needs


def _hint(plan: Plan, relation: Relation) -> str | None:
    """A way out of a wish that cannot be kept."""
    if relation.weights:
        if plan.before is not None and relation.target not in plan.kept:
            return f"add rows of {relation.target} in a stage of their own"
        target = plan.entities[relation.target].entity
        names = [rule.columns[0] for rule in target.unique_rules if len(rule.columns) == 1]
        lists = [[text for row in target.fixed[:8] if (text := dict(row).get(name)) is not None] for name in names]
        readable = min(filter(None, lists), key=lambda texts: sum(map(len, texts)), default=[])
        return f"its fixed rows are: {', '.join(readable)}" if readable else f"give {relation.target} fixed rows"
    if relation.where is not None and not relation.spread:
        return "give a number of rows, which are then dealt among those that may be referred to"
    if relation.tree is not None:
        return "more roots (a number, or a share of the rows such as 2%), more levels, or more children"
    return "widen least, most, mean or none until they agree with the rows there are" if relation.spread is not None else None


def _place(relation: Relation) -> Place | None:
    for wish in (relation.tree, relation.spread, relation.choice):
        if wish is not None:
            return wish.place
    return relation.wished or relation.place
