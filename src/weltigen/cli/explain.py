"""weltigen explain"""

from __future__ import annotations

from typing import Any

import click

from ..api import World, open_world
from ..model.problems import ImpossibleError, UsageError, nearest
from ..plan import EntityPlan, Plan
from . import options
from .show import bad, cell, columns, dim, out, out_json, strong, warn


@click.command()
@click.argument("world")
@click.argument("what", required=False, metavar="[ENTITY[.FIELD]]")
@options.making
@options.dialect
@options.as_json
def explain(
    world: str,
    what: str | None,
    seed: int | None,
    now: str | None,
    rows: dict[str, int],
    times: float,
    dialect: str | None,
    json_: bool,
) -> None:
    """How WORLD is filled: order, row counts and why, what was guessed, what is impossible.

    With an ENTITY: its fields. With ENTITY.FIELD: that field in full.
    """
    opened = open_world(world, dialect=dialect)
    plan = opened.plan(seed=seed, now=now, rows=rows, times=times)
    if json_:
        out_json(plan_as_json(plan))
    elif what is None:
        _overview(world, opened, plan)
    elif "." in what and not opened.has(what):
        entity, _, field = what.rpartition(".")
        _field(plan, plan.entity(entity), field)
    else:
        _entity(world, plan, plan.entity(what))
    if plan.problems:
        if json_ or what is not None:
            raise ImpossibleError(plan.problems)
        raise click.exceptions.Exit(ImpossibleError.exit_code)


def heading(plan: Plan) -> str:
    world = plan.world
    names = [name.rsplit("/", 1)[-1] for name in world.sources] or [world.name]
    return f"{strong(' on '.join(names))} · seed {plan.seed} · now {cell(plan.now).removesuffix(' 00:00')}"


def _overview(name: str, world: World, plan: Plan) -> None:
    out(heading(plan))
    order = plan.order or tuple(plan.entities)
    lines = [["", "entity", "rows", "because"]]
    lines += [[str(i), n, f"{plan.entities[n].total:,}", plan.entities[n].because] for i, n in enumerate(order, 1)]
    total = sum(e.total for e in plan.entities.values())
    lines.append(["", "", f"{total:,}", "in all"])
    printed = columns(lines, right=(0, 2))
    out("\n".join([dim(printed[0]), *printed[1:]]))
    parts: list[tuple[str, list[str]]] = [
        ("cycles", _cycles(plan)),
        ("guesses", _guesses(plan)),
        ("not understood", _not_understood(plan)),
    ]
    for title, texts in parts:
        out(f"{title:<15} {texts[0]}")
        for text in texts[1:]:
            out(f"{'':<15} {text}")
    if plan.problems:
        out(f"{bad('impossible'):<15} {len(plan.problems)}")
        out("\n".join(f"  {line}" for problem in plan.problems for line in str(problem).splitlines()))
        return
    out(f"{'impossible':<15} nothing")
    first = plan.order[-1] if plan.order else "ENTITY"
    out(f"Next: weltigen explain {name} {first}")
    out(f"      weltigen fill {name} --into FOLDER|FILE.sqlite")


def _cycles(plan: Plan) -> list[str]:
    texts = []
    for cycle in plan.cycles:
        at = f"broken at {cycle.broken_at.label}" if cycle.broken_at else "cannot be broken"
        way = (
            ", which may be null"
            if cycle.broken_at and not cycle.broken_at.deferrable
            else ", which is deferrable"
            if cycle.broken_at
            else ""
        )
        texts.append(f"{' → '.join((*cycle.members, cycle.members[0]))}, {at}{way}")
    return texts or ["none"]


def _guesses(plan: Plan) -> list[str]:
    guessed = [
        (e.name, f) for e in plan.world.entities for f in e.fields if f.guess is not None and not _all_given(plan, e.name, f.name)
    ]
    unsure = [(entity, field) for entity, field in guessed if field.guess and not field.guess.sure]
    texts = [f"{len(guessed) - len(unsure)} sure · {len(unsure)} unsure{':' if unsure else ''}"]
    listed = [
        [f"{entity}.{f.name}", f"{getattr(f.source, 'kind', '')}?", f.guess.reason if f.guess else ""]
        for entity, f in unsure[:12]
    ]
    texts += [warn(line) for line in columns(listed)]
    return texts + ([f"  and {len(unsure) - 12} more"] if len(unsure) > 12 else [])


def _all_given(plan: Plan, entity: str, field: str) -> bool:
    """Whether fixed rows give every value of a field, so that a guess about it does not matter."""
    entity_plan = plan.entities[entity]
    return not entity_plan.generated and all(field in dict(row) for row in entity_plan.entity.fixed)


def _not_understood(plan: Plan) -> list[str]:
    texts = [f"{note.place}  {note.what}" if note.place else note.what for note in plan.world.not_understood] + list(plan.notes)
    shown = [warn(text) for text in texts[:10]]
    return (shown + ([f"and {len(texts) - 10} more"] if len(texts) > 10 else [])) or ["nothing"]


def _entity(name: str, plan: Plan, entity_plan: EntityPlan) -> None:
    entity = entity_plan.entity
    out(
        f"{strong(entity.name)} · {entity_plan.total:,} rows: {entity_plan.because}"
        + (f" · {entity_plan.fixed} of them fixed" if entity_plan.fixed and entity_plan.generated else "")
    )
    if entity.comment:
        out(f"  {entity.comment}")
    if entity.name in plan.order:
        out(f"filled as number {plan.order.index(entity.name) + 1} of {len(plan.order)}{_after(plan, entity_plan)}")
    lines = [["field", "type", "how it is filled"]]
    for field in entity.fields:
        filler = entity_plan.fillers.get(field.name)
        how = filler.because if filler else "computed by the database" if field.generated else "—"
        lines.append([field.name, f"{field.type}{'' if field.nullable else ' not null'}", how])
    printed = columns(lines)
    out("\n".join([dim(printed[0]), *printed[1:]]))
    for title, texts in (
        ("keeps", _rules(entity_plan)),
        ("refers to", _refers(entity_plan)),
        ("referred to by", _referred(plan, entity.name)),
    ):
        for i, text in enumerate(texts):
            out(f"{title if i == 0 else '':<15} {text}")
    for problem in plan.problems:
        if problem.fact.startswith(entity.name):
            out(bad(str(problem)))
    example = next(
        (f.name for f in entity.fields if f.name not in entity.key), entity.fields[0].name if entity.fields else "FIELD"
    )
    out(f"Next: weltigen explain {name} {entity.name}.{example}")


def _after(plan: Plan, entity_plan: EntityPlan) -> str:
    """What had to come first, and what was not waited for since a circle was broken there."""
    broken = {cycle.broken_at.label for cycle in plan.cycles if cycle.broken_at}
    relations = [r for r in entity_plan.entity.relations if r.target != entity_plan.name]
    first = dict.fromkeys(r.target for r in relations if r.label not in broken)
    later = dict.fromkeys(r.target for r in relations if r.label in broken)
    text = f", after {' and '.join(first)}, to which it refers" if first else ", as declared: it waits for nothing"
    return text + (f"; {' and '.join(later)} comes later (a cycle, broken here)" if later else "")


def _rules(entity_plan: EntityPlan) -> list[str]:
    entity = entity_plan.entity
    texts = []
    for rule in entity.unique_rules:
        component = next((c for c in entity_plan.components if str(rule) in c.rules), None)
        how = (
            "by its numbers"
            if component is None
            else "each row of an owner differs"
            if component.within_owner
            else "each row takes a place of its own"
        )
        texts.append(f"{'primary key' if rule.columns == entity.key else 'unique'} ({', '.join(rule.columns)}): {how}")
    for check in entity.checks:
        how = {None: "by attempts", "nothing": "not understood"}.get(check.met_by, "by construction")
        texts.append(f"{check.name or 'check'} ({check.expression}): {how}")
    return texts


def _refers(entity_plan: EntityPlan) -> list[str]:
    texts = []
    for relation in entity_plan.entity.relations:
        if (reference := entity_plan.references.get(relation.name)) is not None:
            by = f"{relation.target} by {', '.join(relation.columns)}"
            texts.append(f"{by}: {reference.because}; on delete {relation.on_delete}")
    return texts


def _referred(plan: Plan, name: str) -> list[str]:
    return [f"{e.name} by {', '.join(r.columns)}" for e in plan.world.entities for r in e.relations if r.target == name]


def _field(plan: Plan, entity_plan: EntityPlan, name: str) -> None:
    entity = entity_plan.entity
    if not entity.has(name):
        raise UsageError(f"{entity.name} has no field '{name}'", hint=nearest(name, entity.field_names))
    field = entity.field(name)
    said: list[tuple[str, str]] = [
        (
            "declared",
            f"{field.type}{'' if field.nullable else ' not null'}" + (f", at {field.place}" if field.place else ""),
        )
    ]
    if field.comment:
        said.append(("comment", field.comment))
    if (filler := entity_plan.fillers.get(name)) is not None:
        said.append(("filled", filler.because))
    if field.guess is not None:
        said.append(("guess", f"{'sure' if field.guess.sure else 'unsure'}: {field.guess.reason}"))
    said += [
        ("limit", f"{bound}   ({bound.because}{f', {bound.place}' if bound.place else ''})") for bound in field.limits.bounds
    ]
    said += [
        ("one of", ", ".join(a.values[:8]) + (", …" if len(a.values) > 8 else "") + f"   ({a.because})")
        for a in field.limits.allowed
    ]
    said += [("kept", str(rule)) for rule in entity.unique_rules if name in rule.columns]
    prepared = entity_plan.fields[name].prepared if name in entity_plan.fields else None
    if (space := getattr(prepared, "space", None)) is not None and not entity_plan.fields[name].moving:
        said.append(("values", f"{space:,} different ones"))
    if not plan.problems and filler is not None and entity_plan.total:
        from ..api import Dataset

        shown = [row[name] for row in Dataset(plan).page(entity.name, entity_plan.fixed, 5).to_pylist()]
        said.append(("such as", " · ".join(cell(value) or "null" for value in shown)))
    out(strong(f"{entity.name}.{name}"))
    out("\n".join(columns([list(line) for line in said])))
    out(f"Next: change it in the world file, under entities: {{{entity.name}: {{fields: {{{name}: …}}}}}}")


def plan_as_json(plan: Plan) -> dict[str, Any]:
    """The plan in plain values."""
    return {
        "seed": plan.seed, "now": plan.now.isoformat(),
        "entities": {
            name: {
                "rows": plan.entities[name].total, "because": plan.entities[name].because,
                "fields": {f: filler.because for f, filler in plan.entities[name].fillers.items()},
            }
            for name in plan.order or tuple(plan.entities)
        },
        "cycles": [list(cycle.members) for cycle in plan.cycles],
        "guesses": {f"{e.name}.{f.name}": {"kind": getattr(f.source, "kind", None), "reason": f.guess.reason,
                                           "sure": f.guess.sure}
                    for e in plan.world.entities for f in e.fields if f.guess is not None},
        "not_understood": [note.what for note in plan.world.not_understood] + list(plan.notes),
        "impossible": [str(problem) for problem in plan.problems],
    }  # fmt: skip
