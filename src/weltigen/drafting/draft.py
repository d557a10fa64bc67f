"""A world file for a model: written anew, or brought up to date over what somebody edited."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

from ..infer import infer, likely_relations, propose_tenants
from ..model import FORMAT, Relation, World
from ..plan import Plan
from ..planning import make_plan
from .changes import Change, changes_between
from .merge import Parts, merged
from .render import INDENT, entity_lines
from .snapshot import read_snapshot, snapshot_of, write_snapshot
from .yaml_text import scalar


@dataclass(frozen=True, slots=True, kw_only=True)
class Draft:
    """The file's text; what changed since it was last drafted; and the plan that its numbers come from.

    `snapshot` is what goes into the file beside it, by which a later draft tells what has changed. `compared` says whether there
    was such a file; None for a new world file. `left_out`: where rows were measured, what nothing is told of, and why.
    """

    text: str
    snapshot: str
    changes: tuple[Change, ...]
    plan: Plan
    proposals: tuple[Relation, ...]
    compared: bool | None = None
    left_out: tuple[tuple[str, str], ...] = ()


def draft_world(
    declared: World,
    model: str,
    *,
    dialect: str | None = None,
    over: str | None = None,
    before: str | None = None,
    edited: World | None = None,
    measured: Callable[[World], World] | None = None,
) -> Draft:
    """A world file whose `model` is `model`, for the world that this source declares. `over` is the file's present text, `before`
    that of the snapshot beside it; `edited` is the declared world with what that text says, where the two still fit. `measured`
    puts what rows that are there tell in the place of guesses.

    UnreadableError where that text is not a world file.
    """
    sure, doubtful = _related(edited or declared)
    world = infer(sure)
    world = measured(world) if measured is not None else world
    plan = make_plan(world)
    order = plan.order or tuple(plan.entities)
    blocks = {
        name: entity_lines(plan, plan.entities[name], number, doubtful.get(name, ())) for number, name in enumerate(order, 1)
    }
    proposals = tuple(r for entity in world.entities for r in entity.relations if r.guess)
    snapshot = snapshot_of(declared)
    if over is None:
        text = _head(world, plan, model, dialect) + "".join(f"{INDENT}{line}\n" for lines in blocks.values() for line in lines)
        return Draft(text=text, snapshot=write_snapshot(snapshot), changes=(), plan=plan, proposals=proposals)
    old = read_snapshot(before) if before is not None else None
    changes = changes_between(old, snapshot) if old is not None else []
    parts = Parts(order=order, blocks=blocks, plan=plan, before=old)
    text = merged(over.rstrip() + "\n", parts)
    return Draft(
        text=text, snapshot=write_snapshot(snapshot), changes=tuple(changes), plan=plan, proposals=proposals,
        compared=old is not None,
    )  # fmt: skip


def _related(world: World) -> tuple[World, dict[str, list[Relation]]]:
    """The world with the relationships that are likely enough, and those that are not, by entity."""
    likely, doubtful = likely_relations(world)
    entities = tuple(replace(e, relations=(*e.relations, *likely[e.name])) if e.name in likely else e for e in world.entities)
    return replace(world, entities=entities), doubtful


def _head(world: World, plan: Plan, model: str, dialect: str | None) -> str:
    lines = [
        f"# Drafted from {world.name}: every guess is spelled out here with its reason; a ? marks those that are not sure.",
        "# What you change stays as it is when the model changes and this is drafted again.",
    ]
    for note in [*map(str, (n for n in world.notices if not n.stepped_over)), *plan.notes]:
        lines.append(f"# Not understood, so rows may break it: {' '.join(note.split())}")
    for problem in plan.problems:
        lines.append(f"# Impossible as it stands: {' '.join(str(problem).split())}")
    lines += [f"weltigen: {FORMAT}", f"model: {scalar(model)}"]
    if dialect is not None:
        lines.append(f"dialect: {dialect}")
    start, end = world.window
    lines += [f"seed: {world.seed}", f"window: [{start}, {end}]"]
    if world.languages:
        lines.append(f"language: {{{', '.join(f'{tag}: {share:g}' for tag, share in world.languages)}}}")
    elif world.language is not None:
        lines.append(f"language: {world.language}")
    if world.places != "real":
        lines.append(f"places: {world.places}")
    if world.password is not None:
        lines.append(f"password: {scalar(world.password)}")
    for name, entities in [] if world.same else propose_tenants(world):
        why = f"? {entities} entities lead to {name} in more than one way: this keeps every row within one of them"
        lines.append(f"# same: [{scalar(name)}]   # {why}")
    lines.append("entities:")
    return "\n".join(lines) + "\n"
