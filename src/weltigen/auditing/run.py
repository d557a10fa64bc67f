"""Running an audit: one scan for the rules of single rows, one query for each rule over several."""

from __future__ import annotations

import time
from collections import Counter
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, replace
from itertools import groupby
from pathlib import Path
from typing import Any

from ..model import Entity, PerOwner, World
from ..model.fields import MASK
from ..model.problems import UnreadableError, UsageError
from ..model.ties import Tie, find_ties
from ..stored.locations import shown_location
from ..stored.names import quoted
from ..stored.receipts import receipt_at
from ..stored.stores import open_store
from ..stored.stores.store import NotAnswered, Store
from .choices import choice_rules
from .cohorts import cohort_rules
from .findings import Example, Finding, Report
from .following import rank_rules
from .relating import relating_rules
from .rule import RowRule, SetRule
from .rules import fixed_rules, row_rules, set_rules
from .walking import walking_rules
from .weights import weight_rules

SHOWN = 3  # offending rows that a finding shows


def audit(world: World, target: str | Path, *, reveal: bool = False) -> Report:
    """Check the data at `target` (a folder, a database file, or a database by its URL) against every rule of `world`.

    What secret fields hold is shown only with `reveal`.
    """
    began, named = time.perf_counter(), shown_location(target)
    store, world = open_store(target), world.as_stored
    findings: list[Finding] = []
    unchecked: list[str] = []
    rules = rows = 0
    run = _Run.of(Path(target))
    if run.only:
        unchecked.append("counts, shares, fixed rows, and sums over children (only some rows were written)")
    try:
        ties, _ = find_ties(world)
        present = {entity.name: store.columns(entity) for entity in world.entities}
        if all(stored is None for stored in present.values()):
            raise UsageError(f"{named} holds nothing of {world.name}", hint=f"it would hold: {', '.join(world.entity_names[:8])}")
        for entity in world.entities:
            stored = present[entity.name]
            if stored is None:
                findings.append(Finding(entity=entity.name, kind="missing", rule="the entity is there", rows=0))
                rules += 1
                continue
            lost = [f.name for f in entity.fields if f.name not in stored and f.generated is None]
            rules += len(lost)
            findings += [Finding(entity=entity.name, kind="missing", rule=f"{name} is there", rows=0) for name in lost]
            count, found, skipped, number = _entity(world, entity, store, stored, ties.get(entity.name, ()), run)
            rules, rows = rules + number, rows + count
            findings += found
            unchecked += skipped
    except NotAnswered as error:
        raise UnreadableError(f"{named}: {error}") from None
    finally:
        store.close()
    seconds = time.perf_counter() - began
    findings = findings if reveal else [_masked(world, finding) for finding in findings]
    return Report(findings, target=named, rules=rules, rows=rows, unchecked=unchecked, seconds=seconds)


def _masked(world: World, finding: Finding) -> Finding:
    """A finding with dots in place of what is secret."""
    entity = world.entity(finding.entity) if world.has(finding.entity) else None
    secret = {field.name for field in entity.fields if field.secret} if entity is not None else set()
    if not secret or not finding.examples:
        return finding

    def hidden(values: dict[str, Any]) -> dict[str, Any]:
        return {name: MASK if name in secret and value is not None else value for name, value in values.items()}

    examples = tuple(replace(one, key=hidden(one.key), values=hidden(one.values)) for one in finding.examples)
    return replace(finding, examples=examples)


@dataclass(frozen=True, slots=True)
class _Run:
    """What the receipt says of the run: entities whose rows were set by hand, so that their counts for each owner were given up;
    by what all rows were multiplied; how many stages made rows of each entity; and the fields that a run set."""

    asked: frozenset[str] = frozenset()
    times: float = 1.0
    stages: Mapping[str, int] = field(default_factory=dict)
    overridden: frozenset[str] = frozenset()
    only: tuple[str, ...] = ()  # where not all rows were written

    @classmethod
    def of(cls, target: Path) -> _Run:
        receipt = receipt_at(target)
        if receipt is None:
            return cls()
        stages = Counter(name for part in receipt.parts for name in part.rows)
        asked = frozenset(name for part in receipt.parts for name in part.asked)
        overridden = frozenset(name for part in receipt.parts for name in part.overrides)
        return cls(asked, receipt.parts[0].times, stages, overridden, receipt.parts[0].only)


def _entity(
    world: World,
    entity: Entity,
    store: Store,
    stored: dict[str, str],
    ties: tuple[Tie, ...],
    run: _Run,
) -> tuple[int, list[Finding], list[str], int]:
    findings: list[Finding] = []
    asked, stages = entity.name in run.asked, max(1, run.stages.get(entity.name, 1))
    given_up = asked and isinstance(entity.rows, PerOwner)
    unchecked: list[str] = [f"{entity.name}: rows for each owner (the run set its rows)"] if given_up else []
    if stages > 1:
        spread = [relation.target for relation in entity.relations if relation.spread is not None]
        unchecked += [f"{entity.name}: rows for each {target} (a later stage added some)" for target in spread]
    for relation in entity.relations:
        if relation.choice is not None and run.stages.get(relation.target, 1) > 1:
            unchecked.append(f"{entity.name}: {relation.choice.way} of {relation.name} (a later stage added {relation.target})")
    if run.only:  # what all rows keep together, or those that others have, some of them do not
        asked, unchecked = True, []
    number = 0
    singles = list(row_rules(world, entity, store, stored))
    unchecked += [f"{entity.name}: {rule.text} ({rule.why_not})" for rule in singles if rule.why_not is not None]
    number += sum(rule.why_not is not None for rule in singles)
    singles = [rule for rule in singles if rule.why_not is None and not (run.only and "GROUP BY" in rule.join)]
    count = store.query(f"SELECT count(*) FROM {store.table(entity)}")[0][0]
    for join, group in groupby(sorted(singles, key=lambda rule: rule.join), key=lambda rule: rule.join):
        number_, found, skipped = _scan(entity, store, join, list(group))
        number, findings, unchecked = number + number_, findings + found, unchecked + skipped
    related = relating_rules(world, entity, ties, store, skip_counts=asked, stages=stages)
    cohorts = () if asked else cohort_rules(world, entity, store, run.times, stages, run.asked)
    others = (
        ()
        if run.only
        else (
            *rank_rules(entity, store),
            *weight_rules(world, entity, store, run.overridden),
            *walking_rules(world, entity, store),
            *choice_rules(world, entity, store, run.stages),
        )
    )
    for rule in (*set_rules(world, entity, store), *related, *cohorts, *others):
        number += 1
        try:
            findings += _set(entity, store, rule)
        except NotAnswered as error:
            unchecked.append(f"{entity.name}: {rule.text} ({error})")
    for text, query, given in () if run.only else fixed_rules(entity, store, stored):
        number += 1
        try:
            if not store.query(query)[0][0]:
                example = Example(key={c: given[c] for c in entity.key if c in given}, values=given)
                findings.append(Finding(entity=entity.name, kind="fixed row", rule=text, rows=1, examples=(example,)))
        except NotAnswered as error:
            unchecked.append(f"{entity.name}: {text} ({error})")
    return count, findings, unchecked, number


def _scan(entity: Entity, store: Store, join: str, rules: list[RowRule]) -> tuple[int, list[Finding], list[str]]:
    """All rules in one query; where the place cannot run it, one by one, to find out which it cannot answer."""
    source = f"{store.table(entity)} AS this {join}"
    counted = ", ".join(f"count(CASE WHEN {rule.broken} THEN 1 END)" for rule in rules)
    try:
        counts = store.query(f"SELECT {counted} FROM {source}")[0]
    except NotAnswered as error:
        if len(rules) == 1:
            return 1, [], [f"{entity.name}: {rules[0].text} ({error})"]
        parts = [_scan(entity, store, join, [rule]) for rule in rules]
        return len(rules), [f for _, found, _ in parts for f in found], [u for _, _, skipped in parts for u in skipped]
    findings = []
    for rule, broken in zip(rules, counts, strict=True):
        if broken:
            findings.append(
                Finding(
                    entity=entity.name,
                    kind=rule.kind,
                    rule=rule.text,
                    rows=broken,
                    examples=_examples(entity, store, source, rule),
                )
            )
    return len(rules), findings, []


def _examples(entity: Entity, store: Store, source: str, rule: RowRule) -> tuple[Example, ...]:
    columns = tuple(dict.fromkeys((*entity.key, *rule.columns)))
    raw = rule.kind == "type" and store.dialect == "duckdb"
    picked = [f"this.{quoted(c + ' ' if raw else c)}" for c in columns] + [sql for _, sql in rule.extra]
    order = ", ".join(f"this.{quoted(column)}" for column in entity.key) or "1"
    rows = store.query(f"SELECT {', '.join(picked)} FROM {source} WHERE {rule.broken} ORDER BY {order} LIMIT {SHOWN}")
    names = (*columns, *(name for name, _ in rule.extra))
    return tuple(
        _example(dict(zip(names, row, strict=True)), entity.key, (*rule.columns, *(n for n, _ in rule.extra))) for row in rows
    )


def _example(values: dict[str, Any], key: Iterable[str], shown: Iterable[str]) -> Example:
    return Example(key={k: values[k] for k in key if k in values}, values={name: values[name] for name in shown})


def _set(entity: Entity, store: Store, rule: SetRule) -> list[Finding]:
    total = store.query(store.counted(rule.query, len(rule.shown)))[0][0]
    if not total:
        return []
    if rule.named is not None:
        return _set(entity, store, rule.named)
    order = ", ".join(str(position + 1) for position in (*rule.order, *range(rule.keys))) or "1"
    rows = store.query(f"{rule.query} ORDER BY {order} LIMIT {SHOWN}")
    examples = tuple(
        _example(dict(zip(rule.shown, row, strict=True)), rule.shown[: rule.keys], rule.shown[rule.keys :]) for row in rows
    )
    return [Finding(entity=entity.name, kind=rule.kind, rule=rule.text, rows=total, examples=examples)]
