"""States over time: the walk that each row of an entity makes, and the fields that it fills."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from ...model import Entity, Field, Problem, WeightsSource
from ...model.histories import HistoryColumns, history_columns, history_of, names_of
from ...plan.entity import EntityPlan
from ...plan.fields import Walked
from ...plan.plan import Plan
from ...randomness import Walk, key
from ...randomness.walks import MOST_STEPS, reaching
from .limits import allowed_values, read_range


def walk_of(plan: Plan, entity: Entity) -> tuple[Walk | None, list[Problem]]:
    """The walks of an entity's rows; or what in their declaration cannot be."""
    states = entity.states
    assert states is not None
    names, field = names_of(states), entity.field(states.field)
    index = {name: number for number, name in enumerate(names)}
    problems = _not_allowed(plan, entity, field, names)
    start = np.array([dict(states.start).get(name, 0.0) for name in names])
    steps = np.zeros((len(names), len(names)))
    for state, onward in states.steps:
        for to, weight in onward:
            steps[index[state], index[to]] = weight
    moving = steps * (1 - np.eye(len(names)))
    ends = None
    weights = field.source if isinstance(field.source, WeightsSource) and field.guess is None else None
    reached = {name: float(start @ reaching(moving, number)) for name, number in index.items()}
    if weights is not None:
        ends = [dict(weights.weights).get(name, 0.0) for name in names]
        for value, weight in weights.weights:
            if weight > 0 and reached.get(value, 0.0) <= 0:
                why = "is not a state" if value not in index else "cannot be reached by any steps"
                fact = f"{entity.name}.{field.name}: weights give '{value}', which {why}"
                hint = "declare a step that leads there, or leave it out"
                problems.append(Problem(fact=fact, place=weights.place, hint=hint))
    else:
        trap = _never_ending(steps, start)
        if trap is not None:
            problems.append(Problem(fact=f"{entity.name}: from '{names[trap]}' no steps lead to an end", place=states.place,
                                    hint="give a state no steps, or a step to itself, which means that it stays"))  # fmt: skip
    if not start.sum() > 0:
        problems.append(Problem(fact=f"{entity.name}: no state has a weight above 0 to start with", place=states.place))
    given = []
    for row in entity.fixed:
        text = dict(row).get(field.name)
        given.append(index.get(text, -1) if text is not None else -1)
        if text is not None and reached.get(text, 0.0) <= 0:
            problems.append(Problem(fact=f"{entity.name}: a fixed row gives {field.name} {text}, to which no steps lead",
                                    place=states.place))  # fmt: skip
    if problems:
        return None, problems
    keys = tuple(key(plan.stage_seed, entity.name, field.name, f"walk {number}") for number in range(MOST_STEPS))
    return Walk.build(start, steps, ends, given, keys), []


def _not_allowed(plan: Plan, entity: Entity, field: Field, names: tuple[str, ...]) -> list[Problem]:
    span = read_range(replace(entity, relations=()), replace(field, limits=replace(field.limits, bounds=())), None, plan.now)
    values, _ = allowed_values(entity, field, span)
    wrong = [name for name in names if values is not None and name not in map(str, values)]
    assert entity.states is not None
    return [
        Problem(fact=f"{entity.name}.{field.name} cannot be '{name}', a state that is named here", place=entity.states.place,
                hint=f"it can be: {', '.join(map(str, (values or [])[:8]))}")
        for name in wrong
    ]  # fmt: skip


def _never_ending(steps: NDArray[np.float64], start: NDArray[np.float64]) -> int | None:
    """A state that can be reached and from which no end can be."""
    size = len(start)
    ends = {s for s in range(size) if not steps[s].any() or steps[s, s] > 0}
    while more := {s for s in range(size) if s not in ends and any(steps[s, to] > 0 for to in ends)}:
        ends |= more
    seen, waiting = set(), [s for s in range(size) if start[s] > 0]
    while waiting:
        state = waiting.pop()
        if state not in seen:
            seen.add(state)
            waiting += [to for to in range(size) if steps[state, to] > 0]
    return next((state for state in sorted(seen) if state not in ends), None)


def walked_fields(plan: Plan, entity_plan: EntityPlan) -> dict[str, Walked]:
    """The fields of an entity that a walk fills."""
    entity, out = entity_plan.entity, {}
    if entity.states is not None:  # its history may be left out where entities are planned apart
        out[entity.states.field] = Walked("last state", entity.states.history)
    of = history_of(plan.world, entity.name)
    told = history_columns(of, entity) if of is not None else ""
    if of is not None and isinstance(told, HistoryColumns):
        out[told.state] = Walked("state", of.name)
        out[told.at] = Walked("moment", of.name)
        if told.before is not None:
            out[told.before] = Walked("state before", of.name)
    return out
