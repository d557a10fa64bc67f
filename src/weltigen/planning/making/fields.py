"""Pass: each field's limits are typed and its kind of value is prepared."""

from __future__ import annotations

from dataclasses import replace
from datetime import timedelta
from functools import partial

import numpy as np
import pyarrow as pa

from ...expression import NotEvaluableError
from ...model import (
    CasesSource,
    ComputeSource,
    ConstSource,
    Entity,
    Field,
    KindSource,
    PatternSource,
    PerOwner,
    Problem,
    Relation,
    TypeName,
    WeightsSource,
)
from ...model.changing import changed
from ...model.literals import Value, read_literal, read_span
from ...model.origins import Origin
from ...model.paths import resolve_path
from ...model.types import INTEGERS, TEXTS
from ...plan.cohorts import CohortPlan
from ...plan.entity import EntityPlan
from ...plan.fields import Cases, Drawn, FieldPlan, FromReference, Impossible, OfPerson, RankWithinOwner, Spaced, Walked
from ...plan.folding import fold_in_rules
from ...plan.formulas import Formula, bind, tried_on_nothing
from ...plan.own_checks import own_checks
from ...plan.plan import Plan
from ...randomness import Bits
from ...values import KindError, People, Request, Values
from ...values.mixed_people import MixedPeople
from ...values.vocabulary import NEUTRAL
from ..knowledge.limits import Range, allowed_values, in_range, read_range, within
from ..knowledge.reducing import UNITS, reduce_rules
from ..knowledge.walks import walked_fields
from .beginning import asked_of_keys, begin_above
from .cohort_fields import merged
from .computing import prepare_computed
from .dependence import weights_of
from .disturbing import clashes_with_rules
from .giving_way import give_way, room_for_a_name, said_at
from .rooms_beside import enough_beside
from .sourcing import by_source
from .walking import clashes
from .widening import widened

_DAYS = (TypeName.DATE, TypeName.TIMESTAMP, TypeName.TIMESTAMPTZ)


def prepare_fields(plan: Plan) -> Plan:
    prepared: list[EntityPlan] = []
    told: list[Problem] = []
    notes = list(plan.notes)
    others, asked = dict(plan.entities), {**asked_of_keys(plan.world), **plan.first_keys}
    for name in plan.order:
        entity_plan = plan.entities[name]
        entity = entity_plan.entity
        planned: dict[str, FieldPlan] = {}
        problems: list[Problem] = []
        if entity.checks:
            entity_plan = replace(entity_plan, own_checks=own_checks(entity))
        if entity.special_rules:
            reduced, said = reduce_rules(entity)
            entity_plan, notes = replace(entity_plan, reduced=tuple(reduced)), [*notes, *said]
        spaced = spaced_field(entity_plan, problems)
        walked = walked_fields(plan, entity_plan)
        problems += clashes(plan, entity_plan)
        for field in entity.fields:
            if field.generated:
                continue
            if field.name in walked:
                planned[field.name] = _walked(plan, entity_plan, field, walked[field.name], problems)
                continue
            planned[field.name] = prepare_field(plan, entity_plan, field, problems)
            if spaced is field and not problems:
                planned[field.name] = _spaced(plan, entity_plan, planned[field.name], problems)
        planned = widened(plan, entity_plan, planned, partial(_with_more, plan))
        problems += [told for one in planned.values() for told in clashes_with_rules(plan, entity_plan, one)]
        planned = begin_above(
            others,
            entity_plan,
            planned,
            asked,
            lambda field, at=entity_plan: prepare_field(plan, at, field, []),  # type: ignore[misc]
        )
        people, trouble = _people(plan, entity_plan, planned)
        cohorts = {name: _of_cohort(plan, entity_plan, one, problems) for name, one in entity_plan.cohorts.items()}
        prepared.append(changed(entity_plan, fields=planned, people=people, cohorts=cohorts))
        others[name] = prepared[-1]
        told += problems + trouble
    return replace(plan, notes=tuple(notes)).with_entities(prepared).with_problems(told)


def prepare_field(
    plan: Plan, entity_plan: EntityPlan, field: Field, problems: list[Problem], needed: int | None = None
) -> FieldPlan:
    """A field with its limits typed and its values prepared; what is impossible in itself goes to `problems`.

    `needed`: so many values must differ at least; left out, as many as the rules of the field alone ask for.
    """
    entity = entity_plan.entity
    if (relation := next((r for r in entity.relations if field.name in r.columns), None)) is not None:
        problems += _said_of_reference(entity, field, relation)
        return FieldPlan(field=field, way=FromReference())
    needed = differing(entity_plan, field.name) if needed is None else needed
    return give_way(plan, entity_plan, field, needed, partial(_as_wished, plan, entity_plan), problems)


def _said_of_reference(entity: Entity, field: Field, relation: Relation) -> list[Problem]:
    """A source of values that is said of a column whose reference decides what it holds."""
    decided = ConstSource | (WeightsSource if len(relation.columns) == 1 else ConstSource)
    decided = decided | PatternSource if field.type.name in TEXTS else decided
    if field.source is None or field.guess is not None or isinstance(field.source, decided):
        return []
    theirs = relation.target_columns[relation.columns.index(field.name)]
    fact = f"{entity.name}.{field.name} holds what the {relation.target} has to which it refers, and nothing else"
    return [Problem(
        fact=fact, place=said_at(field),
        hint=f"say it of {relation.target}.{theirs}, or which rows are meant: references: {{{relation.name}: {{where: …}}}}",
    )]  # fmt: skip


def _with_more(plan: Plan, entity_plan: EntityPlan, name: str, needed: int) -> FieldPlan:
    return prepare_field(plan, entity_plan, entity_plan.entity.field(name), [], needed)


def differing(entity_plan: EntityPlan, name: str) -> int | None:
    """How many values of a field must differ for the sake of rules over it alone; 1 where other fields are in all of its rules,
    None where it is in no rule."""
    rules = (*entity_plan.entity.unique_rules, *(reduced.rule for reduced in entity_plan.reduced))
    held = [rule for rule in rules if name in rule.columns]
    if any(len(rule.columns) == 1 and rule.where is None for rule in held):
        return max(1, entity_plan.total + entity_plan.earlier_rows)
    return 1 if held else None


def _is_modest(entity: Entity, field: Field) -> bool:
    """Whether a wide decimal and the fields of its row that bound it hold numbers that were guessed, which fit 64 bits."""
    bounds = [bound for bound in field.limits.bounds if bound.path]
    others = [next((one for one in entity.fields if one.name == bound.operand), None) for bound in bounds]
    guessed = all(bound.origin is Origin.GUESSED for bound in bounds)
    return guessed and all(
        one is not None and one.guess is not None and isinstance(one.source, KindSource) and dict(one.source.parameters).get("to")
        for one in (field, *others)
    )


def _as_wished(plan: Plan, entity_plan: EntityPlan, field: Field, problems: list[Problem]) -> FieldPlan:
    """The field as its source is, whether or not its values keep what is declared."""
    entity = entity_plan.entity
    span = read_range(entity, field, partial(resolve_path, plan.world), plan.now)
    if (room := plan.rooms.get((entity.name, field.name))) is not None:
        within(entity, field, span, room)
    values, trouble = allowed_values(entity, field, span)
    problems += span.problems + trouble
    if span.problems or trouble:
        return FieldPlan(field=field, way=Impossible())
    if len(field.follows) > 1 and weights_of(entity, field) is None:
        named = ", ".join(f"{one.field} {one.correlation:g}" for one in field.follows)
        fact = f"{entity.name}.{field.name}: nothing has these rank correlations at once: {named}"
        problems.append(Problem(fact=fact, place=field.follows[0].place, hint="make them weaker, or leave one out"))
        return FieldPlan(field=field, way=Impossible())
    request = _request(plan, entity_plan, field, span)
    cell_bounds = (
        ()
        if field.type.wide and not _is_modest(entity, field)
        else tuple(m for m in span.cell_bounds if (entity.name, field.name, m.path, m.upper) not in plan.satisfied_bounds)
    )
    base = FieldPlan(
        field=field, way=Impossible(), axis=span.axis, low=span.low, high=span.high, step=span.step, cell_bounds=cell_bounds
    )  # fmt: skip
    if isinstance(field.source, ComputeSource):
        computed, told = prepare_computed(plan, entity_plan, base, field.source)
        problems += told
        return computed
    if isinstance(field.source, CasesSource):
        return _by_case(plan, entity_plan, base, field.source, problems)
    if _counts_within(entity_plan, base, values):
        return _counting_within(base, request)
    try:
        found = by_source(plan, entity_plan, base, request, values, span)
        return _in_spans(plan, entity_plan, changed(found, room=room) if room is not None else found)
    except (KindError, ValueError) as error:
        source = field.source
        place = source.place if source is not None and source.place else field.place
        problems.append(Problem(fact=f"{entity.name}.{field.name}: {error}", place=place))
        return base


def _walked(plan: Plan, entity_plan: EntityPlan, field: Field, way: Walked, problems: list[Problem]) -> FieldPlan:
    """A field that a walk from state to state fills, within its limits."""
    span = read_range(entity_plan.entity, field, partial(resolve_path, plan.world), plan.now)
    problems += span.problems
    return FieldPlan(field=field, way=way, axis=span.axis, low=span.low, high=span.high, cell_bounds=tuple(span.cell_bounds))


def _of_cohort(plan: Plan, entity_plan: EntityPlan, one: CohortPlan, problems: list[Problem]) -> CohortPlan:
    """The cohort's own fields, prepared. What a unique rule decides cannot be set for some rows only."""
    entity = entity_plan.entity
    own: dict[str, FieldPlan] = {}
    for delta in one.cohort.fields:
        name = f"{entity.name}.{delta.name}, of the cohort {one.cohort.name}"
        if not entity.has(delta.name) or entity.field(delta.name).generated:
            continue
        rules = (*entity.unique_rules, *(reduced.rule for reduced in entity_plan.reduced))
        ruled = next((rule for rule in rules if delta.name in rule.columns), None)
        brought = next((relation for relation in entity.relations if delta.name in relation.columns), None)
        if brought is not None:
            fact, hint = f"{name}: it follows the reference {brought.name}", f"references: {{{brought.name}: …}}"
        elif ruled is not None:
            fact, hint = f"{name}: {ruled} decides its values", "set another field"
        else:
            whole = allowed_source(plan, entity, merged(entity.field(delta.name), delta))
            own[delta.name] = prepare_field(plan, entity_plan, whole, problems)
            continue
        problems.append(Problem(fact=fact, place=delta.place, hint=hint))
    return replace(one, fields=own)


def allowed_source(plan: Plan, entity: Entity, field: Field) -> Field:
    """The field with the weighted values that its limits leave; where they leave none, with nothing but the limits."""
    if not isinstance(field.source, WeightsSource):
        return field
    span = read_range(entity, field, partial(resolve_path, plan.world), plan.now)
    values, _ = allowed_values(entity, field, span)
    kept = tuple(
        (text, weight) for text, weight in field.source.weights
        if weight > 0 and in_range(value := read_literal(text, field.type), span) and (values is None or value in values)
    )  # fmt: skip
    return replace(field, source=replace(field.source, weights=kept) if kept else None)


def _by_case(plan: Plan, entity_plan: EntityPlan, base: FieldPlan, source: CasesSource, problems: list[Problem]) -> FieldPlan:
    """The field prepared once for each of its cases."""
    field, name = base.field, f"{entity_plan.name}.{base.field.name}"
    cases: list[tuple[Formula | None, FieldPlan]] = []
    for case in source.cases:
        formula = None
        if case.when is not None:
            try:
                formula = bind(plan.world, entity_plan.entity, case.when)
                if not pa.types.is_boolean(arrow := tried_on_nothing(plan.world, formula)) and not pa.types.is_null(arrow):
                    raise NotEvaluableError(f"'{case.when}' is not a condition")
            except NotEvaluableError as error:
                problems.append(Problem(fact=f"{name}: {error}", place=case.place))
                continue
        narrow = prepare_field(plan, entity_plan, replace(field, source=case.source), problems)
        cases.append((formula, narrow))
    if source.cases[-1].when is not None and not field.nullable:
        problems.append(Problem(fact=f"{name} must not be null, but rows that keep no `when` have no case", place=source.place,
                                hint="add a last case without `when`: {of: {…}}"))  # fmt: skip
    return changed(base, way=Cases(tuple(cases)))


def spaced_field(entity_plan: EntityPlan, problems: list[Problem]) -> Field | None:
    """Of an entity with a row for every span of time, the field that says when: one of a rule with the owner, else the first."""
    entity, rows = entity_plan.entity, entity_plan.entity.rows
    if not isinstance(rows, PerOwner) or rows.every is None or entity_plan.owner is None:
        return None
    owner = set(entity.relation(rows.per).columns)
    moments = [field for field in entity.fields if field.type.name in _DAYS and not field.generated]
    ruled = [f for f in moments for rule in entity.unique_rules if f.name in rule.columns and owner <= set(rule.columns)]
    required = [field for field in moments if not field.nullable]
    if not moments:
        problems.append(Problem(fact=f"{entity.name} has rows every {rows.every}, but no date or timestamp to say when",
                                place=rows.place, hint="rows: {per: …, each: …}"))  # fmt: skip
    return next(iter(ruled or required or moments), None)


def _spaced(plan: Plan, entity_plan: EntityPlan, base: FieldPlan, problems: list[Problem]) -> FieldPlan:
    rows, axis = entity_plan.entity.rows, base.axis
    assert isinstance(rows, PerOwner) and rows.every is not None and axis is not None
    start, end = (axis.units(moment) for moment in plan.window)
    step = axis.span(read_span(rows.every))
    name = f"{entity_plan.name}.{base.field.name}"
    fact = None
    if base.field.type.name is TypeName.DATE and read_span(rows.every) % timedelta(days=1):
        fact = f"{name} is {base.field.type}, which knows no steps of {rows.every}"
    elif base.cell_bounds or (base.low is not None and base.low > start) or (base.high is not None and base.high < end - 1):
        fact = f"{name} has limits of its own, but rows every {rows.every} go through the whole window"
    if fact is not None:
        problems.append(Problem(fact=fact, place=rows.place, hint="rows: {per: …, each: …}"))
        return base
    return changed(base, way=Spaced(start, step, rows.every))


def _counts_within(entity_plan: EntityPlan, base: FieldPlan, values: list[Value] | None) -> bool:
    """Whether a number tells an owner's rows apart, `unique (port, number)`, and nobody said what it should be."""
    field, entity = base.field, entity_plan.entity
    above = [entity.relation(entity_plan.owner.relation)] if entity_plan.owner is not None else []
    above += [relation for relation in entity.relations if relation.target == entity.name]
    if (
        not above
        or not field.free
        or values is not None
        or base.cell_bounds
        or field.type.name not in INTEGERS
        or entity_plan.fixed
    ):
        return False
    ruled = [rule for rule in entity.unique_rules if field.name in rule.columns]
    if len(ruled) != 1 or field.nullable or _is_measure(field):
        return False
    return any(set(ruled[0].columns) == {field.name, *relation.columns} for relation in above)


def _is_measure(field: Field) -> bool:
    """Whether a number is guessed to be of a size that nobody counts from one: an area, a year."""
    source = field.source
    return isinstance(source, KindSource) and source.kind == "number" and float(dict(source.parameters).get("from", "0")) > 1


def _counting_within(base: FieldPlan, request: Request) -> FieldPlan:
    axis, low = base.axis, 1 if base.low is None else base.low
    assert axis is not None
    high, step = axis.natural_limits[1] if base.high is None else base.high, max(1, base.step)
    low = -(-low // step) * step
    values = Values(space=max(1, (high - low) // step + 1), decode=lambda at: axis.column(low + at.astype(np.int64) * step))
    return changed(base, way=Drawn(values, RankWithinOwner(low)))


def _in_spans(plan: Plan, entity_plan: EntityPlan, found: FieldPlan) -> FieldPlan:
    """A moment that a rule compares rounded down: its positions are the spans to which it is rounded."""
    seconds = next((r.rounded[found.field.name] for r in entity_plan.reduced if found.field.name in r.rounded), None)
    axis = found.axis
    way = found.way
    if seconds is None or axis is None or not isinstance(way, Drawn) or found.cell_bounds:
        return found
    unit = axis.span(timedelta(seconds=seconds))
    start, end = (axis.units(moment) for moment in plan.window)
    low, high = start if found.low is None else found.low, end - 1 if found.high is None else found.high
    origin = -3 * unit // 7 if seconds == UNITS["week"] else 0  # weeks begin on Mondays, and the epoch was a Thursday
    first = -(-(low - origin) // unit) * unit + origin
    spans = (high + 1 - first) // unit
    if spans < 1:
        raise KindError(f"nothing between its limits is a whole {seconds:,} s, in which its values must differ")
    values = Values(
        space=spans, decode=lambda at: axis.column(first + at.astype(np.int64) * unit), rising=way.values.rising
    )  # fmt: skip
    return changed(found, way=replace(way, values=values, rounded=unit))


def _request(plan: Plan, entity_plan: EntityPlan, field: Field, span: Range) -> Request:
    rules = (*entity_plan.entity.unique_rules, *(reduced.rule for reduced in entity_plan.reduced))
    rows = entity_plan.generated + 2 * entity_plan.fixed + entity_plan.earlier_rows
    parameters = dict(field.source.parameters) if isinstance(field.source, KindSource) else {}
    language = parameters.get("language") or plan.world.language or "en"
    return Request(
        type=field.type, rows=1 if enough_beside(entity_plan.entity, rules, field, rows) else rows, window=plan.window,
        unique=any(rule.columns == (field.name,) for rule in rules),
        keyed=any(field.name in rule.columns for rule in rules),
        low=span.low, high=span.high, step=span.step if span.step > 1 else None,
        room=field.room, least=field.limits.min_length or 0,
        parameters=parameters,
        fold=fold_in_rules(plan, entity_plan, field.name), seed=plan.seed,
        now=plan.now, topic=entity_plan.entity.topic or NEUTRAL, language=language.partition("-")[0], locale=language,
        invented=plan.world.places == "invented",
        words=entity_plan.entity.words, password=plan.world.password or "", ranked=bool(field.follows), name=field.name,
    )  # fmt: skip


def _people(plan: Plan, entity_plan: EntityPlan, planned: dict[str, FieldPlan]) -> tuple[People | None, list[Problem]]:
    """The persons of an entity with personal fields; names must fit the narrowest column that holds them."""
    given: list[int] = []
    family: list[int] = []
    parts = [(p.field, p.way.part) for p in planned.values() if isinstance(p.way, OfPerson)]
    if not parts:
        return None, []
    for field, part in parts:
        if (each := room_for_a_name(field, part)) is None:
            continue
        kind = field.source.kind if isinstance(field.source, KindSource) else ""
        given += [each] if kind != "family-name" else []
        family += [each] if kind != "given-name" else []
    bits = Bits(plan.stage_seed, entity_plan.name, "", "person")
    locale = plan.world.language or "en"
    before = entity_plan.earlier.people if entity_plan.earlier is not None else None
    try:
        narrow = min(given, default=None), min(family, default=None)
        if plan.world.languages:
            return MixedPeople(bits, entity_plan.total, *narrow, plan.world.languages, before), []
        return People(bits, entity_plan.total, *narrow, before, locale), []
    except KindError as error:
        field = parts[0][0]
        return None, [Problem(fact=f"{entity_plan.name}: {error}", place=field.place)]
