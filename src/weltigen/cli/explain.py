"""weltigen explain"""

from __future__ import annotations

import click

from ..api.dataset import Dataset
from ..api.opening import open_world
from ..api.runs import plan_of_run, resume_run
from ..model.fields import MASK
from ..model.phrases import plural
from ..model.problems import ImpossibleError, UsageError
from ..plan import EntityPlan, Plan
from ..planning import Moved, moved_fields, next_plan, with_runtime_problems
from ..planning.explaining.as_json import plan_as_json
from ..planning.explaining.field import field_facts
from ..planning.explaining.relationships import place_in_order, references_in_words, referred_to_in_words
from ..planning.explaining.rules import rules_in_words
from ..planning.explaining.wording import filler_in_words
from . import options
from .overview import print_overview
from .show import bad, cell, columns, dim, hanging, named, out, out_json, strong


@click.command()
@click.argument("world")
@click.argument("what", required=False, metavar="[ENTITY[.FIELD]]")
@click.option("--against", metavar="OLD", help="List the fields that differ from an earlier world, or from what `fill` wrote.")
@click.option("--after", metavar="TARGET", help="Explain the rows that would be added to what `fill` wrote there.")
@options.making
@options.dialect
@options.as_json
@options.reveal
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
    reveal: bool,
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
        _field(plan, plan.entity(entity), field, reveal)
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
        out(f"filled as number {plan.order.index(entity.name) + 1} of {len(plan.order)}{place_in_order(plan, entity_plan)}")
    lines = [["field", "type", "how it is filled"]]
    for field in entity.fields:
        how = filler_in_words(entity_plan, field.name) or ("computed by the database" if field.generated else "—")
        lines.append([field.name, f"{field.type}{'' if field.nullable else ' not null'}", how])
    printed = columns(lines)
    out("\n".join([dim(printed[0]), *printed[1:]]))
    for title, texts in (
        ("keeps", rules_in_words(plan, entity_plan)),
        ("refers to", references_in_words(entity_plan)),
        ("referred to by", referred_to_in_words(plan, entity.name)),
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


def _samples(dataset: Dataset, entity: str, field: str) -> str:
    """Five values; where most rows have none, those that are there among more rows, and one null."""
    values = dataset.samples(entity, field)
    if sum(value is None for value in values) > 2:
        there = [value for value in dataset.samples(entity, field, 40) if value is not None]
        values = [*there[:4], None] if there else values[:1]
    return " · ".join(cell(value) or "null" for value in values)


def _field(plan: Plan, entity_plan: EntityPlan, name: str, reveal: bool) -> None:
    entity = entity_plan.entity
    said = field_facts(plan, entity_plan, name)
    hidden = entity.field(name).secret and not reveal
    if hidden:
        said.append(("such as", f"{MASK}   (--reveal shows it)"))
    elif not plan.problems and name in entity_plan.fillers and entity_plan.total:
        said.append(("such as", _samples(Dataset(plan), entity.name, name)))
    out(strong(f"{entity.name}.{name}"))
    out("\n".join(columns([list(line) for line in said])))
    relation = next((relation for relation in entity.relations if name in relation.columns), None)
    where = f"references: {{{relation.name}" if relation is not None else f"fields: {{{name}"
    out(f"Next: change it in the world file, under entities: {{{entity.name}: {{{where}: …}}}}}}")
