"""Pass: the order of filling. Targets come before what refers to them, else the order of declaration holds."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace
from heapq import heappop, heappush

from ..model import PerOwner, Problem, Relation
from ..plan.plan import Cycle, Plan


def order_entities(plan: Plan) -> Plan:
    """Cycles are broken at a reference that may be null, else at one that is deferrable; without either it is a problem."""
    rank = {name: number for number, name in enumerate(plan.entities)}
    waiting = {name: _required(plan, name) for name in plan.entities}
    referring: dict[str, list[str]] = {name: [] for name in plan.entities}
    for name, relations in waiting.items():
        for relation in relations:
            referring[relation.target].append(name)
    left = {name: len(relations) for name, relations in waiting.items()}  # references to what is not filled yet
    ready = [rank[name] for name, number in left.items() if not number]
    names, order = list(plan.entities), list[str]()
    cycles: list[Cycle] = []
    problems: list[Problem] = []
    while waiting:
        if ready:  # of those that could come next the one declared first
            name = names[heappop(ready)]
            order.append(name)
            del waiting[name]
            for other in referring[name]:
                left[other] -= 1
                if not left[other]:
                    heappush(ready, rank[other])
            continue
        cycle = _find_cycle(waiting)
        at = _break(plan, cycle)
        if at is None:
            members = " → ".join((cycle[0].entity, *(relation.target for relation in cycle)))
            problems.append(Problem(
                fact=f"{members}: each must exist before the other", place=cycle[0].place,
                hint="let one of these references be null, or declare it DEFERRABLE: " + ", ".join(r.label for r in cycle),
            ))  # fmt: skip
        cycles.append(Cycle(members=tuple(relation.entity for relation in cycle), broken_at=at))
        broken = at or cycle[-1]
        waiting[broken.entity] = [r for r in waiting[broken.entity] if r is not broken]
        referring[broken.target].remove(broken.entity)
        left[broken.entity] -= 1
        if not left[broken.entity]:
            heappush(ready, rank[broken.entity])
    return replace(plan, order=tuple(order), cycles=tuple(cycles)).with_problems(problems)


def _required(plan: Plan, name: str) -> list[Relation]:
    """All references to other entities; an optional one counts until a cycle needs it broken."""
    return [r for r in plan.entities[name].entity.relations if r.target != name and r.target in plan.entities]


def _find_cycle(waiting: dict[str, list[Relation]]) -> list[Relation]:
    """Follow first references until an entity comes again."""
    name = next(iter(waiting))
    path: list[Relation] = []
    seen: dict[str, int] = {}
    while name not in seen:
        seen[name] = len(path)
        step = next(r for r in waiting[name] if r.target in waiting)
        path.append(step)
        name = step.target
    return path[seen[name] :]


def _break(plan: Plan, cycle: Iterable[Relation]) -> Relation | None:
    relations = list(cycle)
    for relation in relations:
        entity = plan.entities[relation.entity].entity
        if isinstance(entity.rows, PerOwner) and entity.rows.per == relation.name:
            continue  # the owner's rows must be counted first
        if all(entity.field(column).nullable for column in relation.columns):
            return relation
    return next((relation for relation in relations if relation.deferrable), None)
