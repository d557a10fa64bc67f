"""Rules about weights: how often each value of a field stands there, in all rows or by case, within what chance allows."""

from __future__ import annotations

from collections.abc import Iterator

from ..expression import NotEvaluableError, parse
from ..model import Case, CasesSource, Entity, Field, WeightsSource, World
from ..model.origins import Status
from ..stored.names import quoted
from ..stored.stores.store import Store
from .joined import Joined
from .rule import SetRule

_ENOUGH = 1_000  # rows from which shares show
_SIGMAS = 6  # of the binomial distribution, beside a hundredth of the rows


def weight_rules(world: World, entity: Entity, store: Store, overridden: frozenset[str]) -> Iterator[SetRule]:
    """For each field with weights that nothing else has a say in, the values that stand there too often or too rarely."""
    stored = set(store.columns(entity) or ())
    for field in entity.fields:
        match field.source:
            case WeightsSource() if field.guess is None:
                cases: tuple[Case, ...] = (Case(source=field.source),)
            case CasesSource(cases=several) if all(isinstance(case.source, WeightsSource) for case in several):
                cases = several
            case _:
                continue
        if field.name in stored and f"{entity.name}.{field.name}" not in overridden and not _ruled(world, entity, field):
            try:
                yield _shares(world, entity, field, cases, store)
            except NotEvaluableError:
                continue  # a cohort, which is stored nowhere


def _ruled(world: World, entity: Entity, field: Field) -> bool:
    """Whether something else has a say in the values: a rule, a cohort, a walk, or a reference that demands some of them."""
    limits, name = field.limits, field.name
    if limits.bounds or limits.patterns or (entity.states is not None and entity.states.field == name):
        return True
    if any(name in rule.columns for rule in entity.unique_rules) or any(name in str(rule) for rule in entity.special_rules):
        return True
    if any(name in check.expression and check.status is Status.OPEN for check in entity.checks):
        return True
    if any(name in relation.columns for relation in entity.relations):
        return True
    if any(name == own.name for cohort in entity.cohorts for own in cohort.fields):
        return True
    asked = (r.where.expression for e in world.entities for r in e.relations if r.target == entity.name and r.where is not None)
    return any(name in text for text in asked)


def _shares(world: World, entity: Entity, field: Field, cases: tuple[Case, ...], store: Store) -> SetRule:
    joined = Joined(world, entity, store)
    which = " ".join(f"WHEN {joined.sql(parse(case.when))} THEN {n}" for n, case in enumerate(cases) if case.when is not None)
    last = next((n for n, case in enumerate(cases) if case.when is None), -1)
    number = f"CASE {which} ELSE {last} END" if which else str(last)
    column = store.as_text(f"this.{quoted(field.name)}", field.type)
    wanted = []
    for n, case in enumerate(cases):
        assert isinstance(case.source, WeightsSource)
        whole = sum(weight for _, weight in case.source.weights)
        wanted += [(n, store.literal(text, field.type), weight / whole) for text, weight in case.source.weights if whole]
    listed = " UNION ALL ".join(f"SELECT {n} AS w, {value} AS v, {share:.12g} AS s" for n, value, share in wanted)
    # in squares, since not every SQLite has a square root
    far = f"abs(coalesce(found.n, 0) - wanted.s * sums.n) - 0.01 * sums.n - {len(entity.fixed)}"
    query = (
        f"WITH found AS (SELECT {number} AS w, {column} AS v, count(*) AS n FROM {store.table(entity)} AS this {joined.join}"
        f" WHERE {column} IS NOT NULL GROUP BY 1, 2), sums AS (SELECT w, sum(n) AS n FROM found GROUP BY w), wanted AS ({listed})"
        f" SELECT wanted.v, coalesce(found.n, 0), sums.n FROM wanted JOIN sums ON sums.w = wanted.w"
        f" LEFT JOIN found ON found.w = wanted.w AND found.v = wanted.v WHERE sums.n >= {_ENOUGH} AND {far} > 0"
        f" AND ({far}) * ({far}) > {_SIGMAS**2} * sums.n * wanted.s * (1 - wanted.s)"
    )
    by = f", by {len(cases)} cases" if len(cases) > 1 else ""
    return SetRule(kind="weights", text=f"{field.name} by its weights{by}", query=query,
                   shown=(field.name, "rows with it", "of rows"), keys=1)  # fmt: skip
