"""weltigen explain"""

from __future__ import annotations

import click

from ..api import open_world, plan_of_run, resume_run
from ..expression import NotEvaluableError, parse
from ..model import Check, Entity, OnDelete, Relation
from ..model.phrases import about, plural
from ..model.problems import ImpossibleError, UsageError, nearest
from ..plan import EntityPlan, Plan
from ..planning import Moved, moved_fields, next_plan, with_runtime_problems
from ..planning.knowledge.wording import filler_in_words, reference_in_words
from . import options
from .overview import print_overview
from .plan_json import check_kept, plan_as_json, special_kept, unique_kept
from .show import bad, cell, columns, dim, hanging, named, out, out_json, strong

_SAMPLES = 5  # values of a field that are shown, from rows far apart


@click.command()
@click.argument("world")
@click.argument("what", required=False, metavar="[ENTITY[.FIELD]]")
@click.option("--against", metavar="OLD", help="List the fields that differ from an earlier world, or from what `fill` wrote.")
@click.option("--after", metavar="TARGET", help="Explain the rows that would be added to what `fill` wrote there.")
@options.making
@options.dialect
@options.as_json
def explain(
    world: str,
    what: str | None,
    against: str | None,
    after: str | None,
    seed: int | None,
    now: str | None,
    rows: dict[str, int],
    set_: dict[str, str],
    times: float,
    dialect: str | None,
    json_: bool,
) -> None:
    """How WORLD is filled: order, row counts and why, what was guessed, what is impossible.

    With an ENTITY: its fields. With ENTITY.FIELD: that field in full.
    """
    opened = open_world(world, dialect=dialect)
    if after is not None and against is not None:
        raise UsageError("--after adds rows to what is there, --against compares with it", hint="give one of the two")
    if after is not None:
        earlier = resume_run(opened, after, seed=seed, now=now).plan
        plan = with_runtime_problems(next_plan(earlier, rows=rows, times=times if options.given("times") else 0.0, set=set_))
    else:
        plan = with_runtime_problems(opened.plan(seed=seed, now=now, rows=rows, times=times, set=set_))
    if against is not None:
        plan.check()
        old = plan_of_run(against, dialect, seed=seed, now=now, rows=rows, times=times)
        _against(world, against, moved_fields(old.check(), plan), json_)
    elif json_:
        out_json(plan_as_json(plan))
    elif what is None:
        print_overview(world, opened, plan, after)
    elif "." in what and not opened.has(what):
        entity, _, field = what.rpartition(".")
        _field(plan, plan.entity(entity), field)
    else:
        _entity(world, plan, plan.entity(what))
    if plan.problems:
        if json_ or what is not None:
            raise ImpossibleError(plan.problems)
        raise click.exceptions.Exit(ImpossibleError.exit_code)


def _against(name: str, old: str, moved: list[Moved], json_: bool) -> None:
    if json_:
        out_json([{"entity": m.entity, "field": m.field, "share": round(m.share, 4), "why": m.why} for m in moved])
        return
    fields = [m for m in moved if m.field is not None]
    out(f"{strong(name)} against {old}: {plural(len(fields), 'field')} moved" + ("" if moved else ", and nothing else"))
    lines = [[m.entity if m.field is None else f"{m.entity}.{m.field}", _moved_share(m), m.why] for m in moved]
    if lines:
        printed = columns([["what", "rows", "why"], *lines])
        out("\n".join([dim(printed[0]), *printed[1:]]))
        first = next(iter(fields), None)
        if first is not None and first.why not in ("is gone", "is new"):
            out(f"Next: weltigen explain {named(name)} {first.entity}.{first.field}")


def _moved_share(moved: Moved) -> str:
    if moved.field is None or moved.why in ("is gone", "is new"):
        return ""
    return "all" if moved.share >= 1 else f"{moved.share:.0%}" if moved.share >= 0.01 else "few"


def _entity(name: str, plan: Plan, entity_plan: EntityPlan) -> None:
    entity = entity_plan.entity
    out(
        f"{strong(entity.name)} · {plural(entity_plan.total, 'row')}: {entity_plan.because}"
        + (f" · {entity_plan.fixed} of them fixed" if entity_plan.fixed and entity_plan.generated else "")
    )
    if entity.comment:
        out(f"  {entity.comment}")
    if entity.name in plan.order:
        out(f"filled as number {plan.order.index(entity.name) + 1} of {len(plan.order)}{_after(plan, entity_plan)}")
    lines = [["field", "type", "how it is filled"]]
    for field in entity.fields:
        how = filler_in_words(entity_plan, field.name) or ("computed by the database" if field.generated else "—")
        lines.append([field.name, f"{field.type}{'' if field.nullable else ' not null'}", how])
    printed = columns(lines)
    out("\n".join([dim(printed[0]), *printed[1:]]))
    for title, texts in (
        ("keeps", _rules(plan, entity_plan)),
        ("refers to", _refers(entity_plan)),
        ("referred to by", _referred(plan, entity.name)),
        ("cohorts", [str(cohort) for cohort in entity_plan.cohorts.values()]),
    ):
        for i, text in enumerate(texts):
            out(f"{title if i == 0 else '':<15} {hanging(text, 16)}")
    for problem in plan.problems:
        if problem.fact.startswith(entity.name):
            out(bad(str(problem)))
    example = next(
        (f.name for f in entity.fields if f.name not in entity.key), entity.fields[0].name if entity.fields else "FIELD"
    )
    out(f"Next: weltigen explain {named(name)} {entity.name}.{example}")


def _after(plan: Plan, entity_plan: EntityPlan) -> str:
    """What had to come first, and what was not waited for since a circle was broken there."""
    broken = {cycle.broken_at.label for cycle in plan.cycles if cycle.broken_at}
    relations = [r for r in entity_plan.entity.relations if r.target != entity_plan.name]
    first = dict.fromkeys(r.target for r in relations if r.label not in broken)
    later = dict.fromkeys(r.target for r in relations if r.label in broken)
    text = f", after {' and '.join(first)}, to which it refers" if first else ", as declared: it waits for nothing"
    return text + (f"; {' and '.join(later)} comes later (a cycle, broken here)" if later else "")


def _rules(plan: Plan, entity_plan: EntityPlan) -> list[str]:
    entity = entity_plan.entity
    texts = []
    for rule in entity.unique_rules:
        kind = "primary key" if rule.columns == entity.key else "unique"
        texts.append(f"{kind} ({', '.join(rule.columns)}): {unique_kept(entity_plan, rule, plan.world.dialect)}")
    texts += [f"{rule}: {special_kept(entity_plan, rule) or 'not kept'}" for rule in entity.special_rules]
    for check in entity.checks:
        how = (check_kept(entity_plan, check) or "not understood").partition(":")[0]
        texts.append(f"{check.name or 'check'} ({check.expression}): {how}")
    return texts


def _refers(entity_plan: EntityPlan) -> list[str]:
    texts = []
    for relation in entity_plan.entity.relations:
        if (reference := entity_plan.references.get(relation.name)) is not None:
            by = f"{relation.target} by {', '.join(relation.columns)}"
            texts.append(f"{by}: {reference_in_words(entity_plan, reference)}; on delete {relation.on_delete}")
    return texts


def _referred(plan: Plan, name: str) -> list[str]:
    return [
        f"{e.name} by {', '.join(r.columns)}: {_deleted(plan, r)}"
        for e in plan.world.entities
        for r in e.relations
        if r.target == name
    ]


def _deleted(plan: Plan, relation: Relation) -> str:
    """What a delete of a row referred to does to the rows that refer to it, and how many those are on average."""
    rows, targets = plan.entities[relation.entity].total, plan.entities[relation.target].total
    entity = plan.entities[relation.entity].entity
    optional = all(entity.field(column).nullable for column in relation.columns)
    mean = rows / targets if targets else 0.0
    many = f"{'up to ' if optional else ''}{about(mean)} on average"
    match relation.on_delete:
        case OnDelete.CASCADE:
            return f"a delete takes them along, {many}{_further(plan, relation.entity)}"
        case OnDelete.SET_NULL:
            return f"a delete sets them null, {many}"
        case OnDelete.SET_DEFAULT:
            return f"a delete sets them to their default, {many}"
        case _:
            return f"they hold a delete back, {many}"


def _further(plan: Plan, name: str) -> str:
    """What goes along in turn, by name."""
    seen, waiting = [name], [name]
    while waiting:
        at = waiting.pop(0)
        for entity in plan.world.entities:
            falls = any(r.target == at and r.on_delete is OnDelete.CASCADE for r in entity.relations)
            if falls and entity.name not in seen:
                seen.append(entity.name)
                waiting.append(entity.name)
    return f", and with them their {', '.join(seen[1:])}" if len(seen) > 1 else ""


def _is_about(entity: Entity, check: Check, name: str) -> bool:
    """Whether a check reads a field, or the row that its reference goes to."""
    try:
        paths = parse(check.expression, check.dialect).paths
    except NotEvaluableError:
        return False
    ways = {relation.name for relation in entity.relations if name in relation.columns}
    return any(path.lower() == name.lower() or ("." in path and path.partition(".")[0] in ways) for path in paths)


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
        said.append(("filled", filler_in_words(entity_plan, name) or ""))
    if field.guess is not None:
        said.append(("guess", f"{field.guess.confidence:.0%} sure: {field.guess.reason}"))
    said += [("limit", f"{bound}   ({bound.source}{f', {bound.place}' if bound.place else ''})") for bound in field.limits.bounds]
    said += [
        ("one of", ", ".join(a.values[:8]) + (", …" if len(a.values) > 8 else "") + f"   ({a.source})")
        for a in field.limits.allowed
    ]
    said += [
        ("kept", f"{rule}: {unique_kept(entity_plan, rule, plan.world.dialect)}")
        for rule in entity.unique_rules if name in rule.columns
    ]  # fmt: skip
    special = {reduced.rule.stands_for: reduced.rule for reduced in entity_plan.reduced}
    said += [
        ("kept", f"{rule}: {special_kept(entity_plan, rule)}")
        for rule in entity.special_rules if str(rule) in special and name in special[str(rule)].columns
    ]  # fmt: skip
    said += [
        ("kept", f"{check}: {check_kept(entity_plan, check) or 'not understood'}")
        for check in entity.checks if _is_about(entity, check, name)
    ]  # fmt: skip
    planned = entity_plan.fields.get(name)
    if planned is not None and (space := planned.way.space) is not None and not planned.cell_bounds:
        said.append(("values", f"{space:,} different ones"))
    if not plan.problems and filler is not None and entity_plan.total:
        from ..api import Dataset

        dataset, apart = Dataset(plan), max(1, entity_plan.generated // _SAMPLES)
        ordinals = range(entity_plan.fixed if entity_plan.generated else 0, entity_plan.total, apart)
        shown = [dataset.row(entity.name, ordinal)[name] for ordinal in ordinals[:_SAMPLES]]
        said.append(("such as", " · ".join(cell(value) or "null" for value in shown)))
    out(strong(f"{entity.name}.{name}"))
    out("\n".join(columns([list(line) for line in said])))
    relation = next((relation for relation in entity.relations if name in relation.columns), None)
    where = f"references: {{{relation.name}" if relation is not None else f"fields: {{{name}"
    out(f"Next: change it in the world file, under entities: {{{entity.name}: {{{where}: …}}}}}}")
