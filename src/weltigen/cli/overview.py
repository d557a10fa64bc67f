"""What `explain` says of a whole world: order, counts and why, guesses, what is kept in memory, what is impossible."""

from __future__ import annotations

from collections.abc import Mapping

from ..api.world import World
from ..model.phrases import listed
from ..plan import Plan
from ..planning.explaining.memory import kept_in_memory
from ..planning.explaining.whole import (
    Said,
    cycles_in_words,
    deletes_in_words,
    guesses_of,
    not_understood,
    rows_there,
    stepped_over,
)
from ..planning.passwords import known_passwords
from .show import bad, cell, columns, dim, hanging, named, out, strong, warn

_UNSURE = 12  # guesses that are listed


def heading(plan: Plan) -> str:
    world = plan.world
    names = [name.rsplit("/", 1)[-1] for name in world.sources] or [world.name]
    stage = f" · stage {plan.stage}" if plan.stage > 1 else ""
    return f"{strong(' on '.join(names))} · seed {plan.seed} · now {cell(plan.now).removesuffix(' 00:00')}{stage}"


def print_overview(name: str, world: World, plan: Plan, after: str | None = None) -> None:
    out(heading(plan))
    order = plan.order or tuple(plan.entities)
    stage = plan.stage > 1
    live = stage or any(entity.held is not None for entity in plan.world.entities)
    lines = [["", "entity", "added" if stage else "rows", *(["there now"] * live), "because"]]
    for number, entity in enumerate(order, 1):
        entity_plan = plan.entities[entity]
        now = [f"{rows_there(plan, entity):,}"] * live
        lines.append([str(number), entity, f"{entity_plan.total:,}", *now, entity_plan.because])
    total = sum(plan.entities[entity].total for entity in order)
    held = sum(rows_there(plan, entity) for entity in plan.entities)
    lines.append(["", "", f"{total:,}", *([f"{held:,}"] * live), "in all"])
    printed = columns(lines, right=(0, 2, 3) if live else (0, 2))
    out("\n".join([dim(printed[0]), *printed[1:]]))
    parts: list[tuple[str, list[Said]]] = [
        ("cycles", cycles_in_words(plan)),
        ("delete order", deletes_in_words(plan)),
        ("guesses", _guesses(plan)),
        ("passwords", [Said(text) for text in passwords_in_words(known_passwords(plan))]),
        ("kept in memory", [Said(text) for text in kept_in_memory(plan)]),
        ("without effect", [Said(text) for text in plan.ignored]),
        ("not understood", not_understood(plan)),
        ("stepped over", stepped_over(plan)),
    ]
    for title, lines_ in parts:
        for number, said in enumerate(lines_):
            text = hanging(said.text, 16)
            out(f"{title if number == 0 else '':<15} {warn(text) if said.doubtful else text}")
    if plan.problems:
        out(f"{bad('impossible'):<15} {len(plan.problems)}")
        out("\n".join(f"  {line}" for problem in plan.problems for line in str(problem).splitlines()))
        return
    out(f"{'impossible':<15} nothing")
    first = plan.order[-1] if plan.order else "ENTITY"
    if after is not None:
        asked = [f"--rows {entity}={rows}" for entity, rows in plan.asked.items()] + [f"--times {plan.times:g}"] * (
            plan.times > 0
        )
        out(f"Next: weltigen explain {named(name)} {first} --after {after} {' '.join(asked)}")
        out(f"      weltigen fill {named(name)} --into {after} --on-rows append {' '.join(asked)}")
        return
    out(f"Next: weltigen explain {named(name)} {first}")
    out(f"      weltigen fill {named(name)} --into FOLDER|FILE.sqlite")


def passwords_in_words(known: Mapping[str, str]) -> list[str]:
    """Which password opens what, a line for each password."""
    fields: dict[str, list[str]] = {}
    for path, plain in known.items():
        fields.setdefault(plain, []).append(path)
    return [f"{plain} is the password in {listed(paths)}" for plain, paths in fields.items()]


def _guesses(plan: Plan) -> list[Said]:
    found = guesses_of(plan)
    unsure = found.unsure
    said = [Said(f"{found.sure} sure · {len(unsure)} unsure{':' if unsure else ''}")]
    listed = [[guess.field, f"{guess.kind}?", f"{guess.confidence:.0%}", guess.reason] for guess in unsure[:_UNSURE]]
    said += [Said(line, doubtful=True) for line in columns(listed)]
    said += [Said(f"  and {len(unsure) - _UNSURE} more")] if len(unsure) > _UNSURE else []
    return said + [Said(f"{r.label} refers to {r.target}: {r.guess.reason}") for r in found.references if r.guess]
