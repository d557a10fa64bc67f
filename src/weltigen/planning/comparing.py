"""What a change of the model moves: fields whose values differ between two plans, and why they do."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, fields, is_dataclass
from typing import Any

import numpy as np

from ..model import Entity, Place, World
from ..model.phrases import plural
from ..plan.entity import EntityPlan
from ..plan.plan import Plan
from ..rows.runtime import PlanRuntime
from .explaining.wording import filler_in_words

_SAMPLED = 2_048  # rows of each entity that are compared, evenly spread
_UNSAID = ("place", "because", "origin", "guess", "comment", "status", "met_by", "fixed_places", "wished")


@dataclass(frozen=True, slots=True, kw_only=True)
class Moved:
    """An entity, or one of its fields, that is no longer what it was. `share` of the rows compared have another value."""

    entity: str
    field: str | None
    share: float
    why: str


def moved_fields(old: Plan, new: Plan) -> list[Moved]:
    """What moved from one plan to the other, in the order of filling. Of the rows that both have some are compared."""
    before, after = PlanRuntime(old), PlanRuntime(new)
    shares: dict[tuple[str, str], float] = {}
    for name in new.order:
        if name in old.entities:
            shares |= _shares(before, after, name)
    out = [Moved(entity=name, field=None, share=1.0, why="is gone") for name in old.order if name not in new.entities]
    for name in new.order:
        if name not in old.entities:
            out.append(Moved(entity=name, field=None, share=1.0, why="is new"))
            continue
        was, now = old.entities[name], new.entities[name]
        if was.total != now.total:
            why = f"has {plural(now.total, 'row')} where it had {was.total:,}: {now.because}"
            out.append(Moved(entity=name, field=None, share=0.0, why=why))
        for column in (*was.columns, *(c for c in now.columns if c not in was.columns)):
            if column not in now.columns or column not in was.columns:
                what = "is gone" if column not in now.columns else "is new"
                out.append(Moved(entity=name, field=column, share=1.0, why=what))
            elif share := shares.get((name, column), 0.0):
                why = "; ".join(_reasons(old, new, was, now, column, shares)) or "the layout of its rules changed"
                out.append(Moved(entity=name, field=column, share=share, why=why))
    return out


def declared_apart(one: World, other: World) -> list[str]:
    """The entities of which two worlds do not declare the same, wherever that is written; and `window`."""
    mine, theirs = ({entity.name: _plain(entity) for entity in world.entities} for world in (one, other))
    names = [name for name in {**mine, **theirs} if mine.get(name) != theirs.get(name)]
    return names + ["window"] * (one.window != other.window)


def _shares(before: PlanRuntime, after: PlanRuntime, name: str) -> dict[tuple[str, str], float]:
    """For each field of both, which part of the compared rows has another value."""
    was, now = before.plan.entities[name], after.plan.entities[name]
    total = min(was.total, now.total)
    if not total:
        return {}
    ordinals = np.unique(np.linspace(0, total - 1, min(total, _SAMPLED)).astype(np.int64))
    one, other = before.rows(name, ordinals), after.rows(name, ordinals)
    out = {}
    for column in was.columns:
        if column in now.columns:
            left, right = one.column(column), other.column(column)
            if left.type != right.type or not left.equals(right):
                differ = sum(a != b for a, b in zip(left.to_pylist(), right.to_pylist(), strict=True))
                out[name, column] = max(differ / len(ordinals), 1e-9)
    return out


def _reasons(
    old: Plan, new: Plan, was: EntityPlan, now: EntityPlan, column: str, shares: dict[tuple[str, str], float]
) -> Iterator[str]:
    if old.seed != new.seed:
        yield f"the seed is {new.seed}, and was {old.seed}"
        return
    if old.window != new.window:
        yield "the window changed"
    changed = _declared(was.entity.field(column), now.entity.field(column))
    if changed:
        yield f"its {' and '.join(changed)} changed"
    yield from _rules(was.entity, now.entity, column)
    for relation in now.entity.relations:
        if column not in relation.columns:
            continue
        same = next((r for r in was.entity.relations if r.name == relation.name), None)
        if same is None:
            yield f"it belongs to the reference {relation.name}, which is new"
        elif parts := _declared(same, relation):
            yield f"the {' and '.join(parts)} of the reference {relation.name} changed"
        had = old.entities[relation.target].total if relation.target in old.entities else None
        has = new.entities[relation.target].total
        if had is not None and had != has:
            yield f"{relation.target} has {has:,} rows, and had {had:,}"
    follows = [
        f"{entity}.{field}" for entity, field in now.fillers[column].needs
        if (entity, field) in shares and (entity, field) != (now.name, column)
    ]  # fmt: skip
    if follows:
        yield f"it follows {', '.join(dict.fromkeys(follows))}"
    elif now.total != was.total:
        yield f"{now.name} has {now.total:,} rows, and had {was.total:,}"
    elif not changed and filler_in_words(now, column) != filler_in_words(was, column):
        yield f"now {filler_in_words(now, column)}"


def _rules(was: Entity, now: Entity, column: str) -> Iterator[str]:
    mine = [{str(rule) for rule in (*e.unique_rules, *e.special_rules) if column in str(rule)} for e in (was, now)]
    yield from (f"{rule} is new" for rule in sorted(mine[1] - mine[0]))
    yield from (f"{rule} is gone" for rule in sorted(mine[0] - mine[1]))
    checks = [{check.expression for check in e.checks if column in check.expression} for e in (was, now)]
    yield from (f"the check {check} is new" for check in sorted(checks[1] - checks[0]))
    yield from (f"the check {check} is gone" for check in sorted(checks[0] - checks[1]))


def _declared(was: Any, now: Any) -> list[str]:
    """The parts of a declaration that differ, wherever they are written."""
    names = {
        "nullable": "null",
        "min_length": "minLength",
        "max_length": "maxLength",
        "source": "source of values",
        "present": "presence",
        "follows": "correlation",
    }
    said = [f.name for f in fields(now) if f.name not in _UNSAID]
    differ = [name for name in said if _plain(getattr(was, name)) != _plain(getattr(now, name))]
    return [names.get(name, name) for name in differ]


def _plain(value: Any) -> Any:
    """A declaration without its places and reasons."""
    if is_dataclass(value) and not isinstance(value, type):
        if isinstance(value, Place):
            return None
        parts = {f.name: _plain(getattr(value, f.name)) for f in fields(value) if f.name not in _UNSAID}
        return type(value).__name__, tuple(sorted(parts.items(), key=lambda item: item[0]))
    if isinstance(value, tuple | list):
        return tuple(_plain(part) for part in value)
    return value
