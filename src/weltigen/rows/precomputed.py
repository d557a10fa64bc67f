"""Rows worked out beforehand: what no arithmetic lays out is chosen once for a whole entity, and kept.

References that share a column must agree on it; a rule may cut through a composite reference; rules may overlap in a ring;
rows given by hand may stand beside generated ones. Then every row's targets and positions are drawn in rounds, all open rows
at once: a row is settled when its references agree and none of its rules is taken. The draws are addressed by row and round,
so what comes out depends on neither batches nor threads. It costs 8 bytes a row for each choice and each rule.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from functools import partial
from math import prod
from typing import Any

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from ..model import Problem, Relation, Unique
from ..model.problems import ImpossibleError
from ..model.ties import Way
from ..plan.entity import EntityPlan, may_be_null, may_refer_to_none
from ..plan.fields import Counting, Drawn
from ..plan.formulas import as_truth
from ..plan.keys import counted, find_key
from ..plan.ports import Ordinals
from ..randomness import PopularitySplit, popularity
from ..randomness.mixing import below
from ..values.pools import picked
from .columns import whole_column
from .key_order import rank_by_key
from .members import members_of, require_members
from .ports import PlannedRows, PlannedRuntime
from .rule_keys import RuleKeys
from .taken import Taken

ROUNDS = 400  # in which each row draws anew
_TO_NONE = 200  # rounds after which every second one lets rows refer to nothing where they may
_NO_DEMANDS = 300  # rounds after which no row must keep what references ask for
_TOGETHER, _SEARCHES = 4_096, 128  # combinations that a row which found no place looks at together, and how often in all
_DEMANDED = 4  # of so many rows one keeps a condition that references ask for
_BLOCK = 1 << 18  # rows of earlier stages that are looked at together


@dataclass(slots=True)
class Choices:
    """For each relation the target of every row (-1: none), for each field the position of every row."""

    targets: dict[str, Ordinals] = field(default_factory=dict)
    positions: dict[str, NDArray[np.uint64]] = field(default_factory=dict)


def work_out(runtime: PlannedRuntime, entity_plan: EntityPlan) -> Choices:
    """The choices of every row; ImpossibleError where rounds leave some rows without any."""
    return _Solver(runtime, entity_plan).run()


def choices_of(runtime: PlannedRuntime, entity: str) -> Choices:
    """What was worked out beforehand for all rows of an entity; made once."""
    return runtime.shared(("choices", entity), lambda: work_out(runtime, runtime.plan.entities[entity]))


@dataclass(frozen=True, slots=True)
class _Tried:
    """What some rows would hold; under each rule their keys, and whether these count; and which rows keep all else."""

    targets: dict[str, Ordinals]
    positions: dict[str, Any]
    keys: list[tuple[NDArray[np.uint64], NDArray[np.bool_]]]
    good: NDArray[np.bool_]


class _Solver:
    def __init__(self, runtime: PlannedRuntime, entity_plan: EntityPlan) -> None:
        assert entity_plan.precomputed is not None
        self.runtime, self.plan, self.precomputed = runtime, entity_plan, entity_plan.precomputed
        self.entity = entity_plan.entity
        self.total = entity_plan.total
        self.rows: PlannedRows = runtime.rows(self.entity.name, np.arange(self.total, dtype=np.int64))
        self.relations = [self.entity.relation(name) for name in self.precomputed.relations]
        self.out = Choices(
            {r.name: np.full(self.total, -1, np.int64) for r in self.relations},
            {digit.name: np.zeros(self.total, np.uint64) for digit in self.precomputed.fields},
        )
        self.members = {
            r.name: members_of(runtime, self.entity.name, r.name)
            for r in self.relations
            if r.name in entity_plan.candidate_filters
        }
        # what other rows refer to by a key that holds it must be there
        asked = runtime.plan.world.columns_referred_to(self.entity.name)
        self.loose = {
            r.name for r in self.relations
            if may_be_null(entity_plan, r) and may_refer_to_none(self.entity, r) and not asked & set(r.columns)
        }  # fmt: skip
        self.keys = RuleKeys(runtime, entity_plan, self.relations)
        self.taken = [Taken() for _ in self.precomputed.rules]

    def run(self) -> Choices:
        for name in self.members:
            require_members(self.runtime, self.plan, self.entity.relation(name))
        locked = self._fixed_targets()
        self._take_earlier()
        waiting = np.arange(self.total, dtype=np.int64)
        for turn in range(ROUNDS):
            waiting = waiting[~self._round(waiting, turn, locked)]
            if not waiting.size:
                break
        waiting = self._searched(waiting, locked)
        if not waiting.size:
            self._let_rise()
            return self.out
        rules = " and ".join(map(str, self.precomputed.rules)) or "its references"
        raise ImpossibleError(Problem(
            fact=f"{self.entity.name}: {waiting.size:,} of {self.total:,} rows find no free place under {rules}",
            place=self.entity.rows.place if self.entity.rows else self.entity.place,
            hint="fewer rows, or more rows of what it refers to", room=(self.entity.name, self.plan.generated - waiting.size),
        ))  # fmt: skip

    def _let_rise(self) -> None:
        """Times rise with the rows that agree in all else that a rule holds: what they hold together stays the same."""
        for name, positions in self.out.positions.items():
            way = self.plan.fields[name].way
            rules = [rule for rule in self.precomputed.rules if name in rule.columns]
            if not isinstance(way, Drawn) or not way.values.rising or len(rules) != 1 or self.keys.given[name] is not None:
                continue
            beside: list[Any] = [
                self.out.positions[other] for other in self.out.positions if other != name and other in rules[0].columns
            ]
            beside += [self.out.targets[r.name] for r in self.relations if set(r.columns) & set(rules[0].columns)]
            group = np.lexsort((np.arange(self.total), *beside))  # rows of a group stand together, rising
            order = np.lexsort((positions, *beside))
            self.out.positions[name] = positions.copy()
            self.out.positions[name][group] = positions[order]

    # one round

    def _round(self, rows: Ordinals, turn: int, locked: dict[str, Ordinals]) -> NDArray[np.bool_]:
        tried = self._tried(rows, turn, locked)
        good = tried.good
        for number, (key, counts) in enumerate(tried.keys):
            candidates = np.flatnonzero(good & counts)
            _, first = np.unique(key[candidates], return_index=True)
            alone = np.zeros(rows.size, bool)
            alone[candidates[first]] = True
            alone[candidates[self.taken[number].hold(key[candidates])]] = False
            good &= alone | ~counts
        self._keep(rows, tried, good)
        return good

    def _searched(self, waiting: Ordinals, locked: dict[str, Ordinals]) -> Ordinals:
        """Rows for which no round found a place look through the combinations of positions, row by row; those that still have
        none."""
        space, left = prod(digit.radix for digit in self.precomputed.fields), _SEARCHES
        lost: list[int] = []
        for at, row in enumerate(waiting.tolist()):
            found = False
            for start in range(0, space, _TOGETHER):
                if not left or found:
                    break
                left -= 1
                rows = np.full(min(_TOGETHER, space - start), row, np.int64)
                tried = self._tried(rows, ROUNDS + start // _TOGETHER, locked, np.arange(start, start + rows.size))
                good = tried.good & ~np.any(
                    [self.taken[n].hold(key) & counts for n, (key, counts) in enumerate(tried.keys)], axis=0
                )
                if found := bool(good.any()):
                    first = np.zeros(rows.size, bool)
                    first[int(np.argmax(good))] = True
                    self._keep(rows, tried, first)
            if not found:
                lost.append(row)
            if not left:
                return np.array([*lost, *waiting[at + 1 :].tolist()], np.int64)
        return np.array(lost, np.int64)

    def _keep(self, rows: Ordinals, tried: _Tried, good: NDArray[np.bool_]) -> None:
        for number, (key, counts) in enumerate(tried.keys):
            self.taken[number].add(key[good & counts])
        for name, drawn in tried.targets.items():
            self.out.targets[name][rows[good]] = drawn[good]
        for name, position in tried.positions.items():
            self.out.positions[name][rows[good]] = position[good]

    def _tried(self, rows: Ordinals, turn: int, locked: dict[str, Ordinals], combinations: Ordinals | None = None) -> _Tried:
        """What rows would hold, and whether that keeps all but the rules that rows differ by. `combinations` of positions are
        counted from that which the round draws."""
        bits = self.precomputed.bits
        targets: dict[str, Ordinals] = {}
        good = np.ones(rows.size, bool)
        for relation in self.relations:
            drawn, fine = self._draw(relation, rows, targets, turn)
            if relation.name in locked:
                fixed = locked[relation.name][np.minimum(rows, self.plan.fixed - 1)] if self.plan.fixed else drawn
                by_hand = (rows < self.plan.fixed) & (fixed > -2)
                drawn, fine = np.where(by_hand, fixed, drawn), fine | by_hand
            targets[relation.name] = drawn
            good &= fine
        for relation in self.relations:
            if relation.above is not None and relation.above in targets:
                good &= self._in_order(relation, rows, targets)
        for relation in self.relations:
            if relation.unlike is not None and relation.unlike in targets:
                good &= (targets[relation.name] != targets[relation.unlike]) | (targets[relation.name] < 0)
        positions = {
            digit.name: below(bits.for_purpose(f"round {turn} of {digit.name}").words(rows), digit.radix)
            for digit in self.precomputed.fields
        }
        if combinations is not None and prod(digit.radix for digit in self.precomputed.fields) > _TOGETHER * _SEARCHES:
            for digit in self.precomputed.fields:  # too many to go through: as many as there is time for
                some = bits.for_purpose(f"search {rows[0]} of {digit.name}").words(combinations)
                positions[digit.name] = below(some, digit.radix)
        elif combinations is not None:
            for digit in self.precomputed.fields:
                step = (combinations % digit.radix).astype(np.uint64)
                positions[digit.name] = (positions[digit.name] + step) % np.uint64(digit.radix)
                combinations = combinations // digit.radix
        for _, condition in self.precomputed.checks:
            good &= as_truth(condition.evaluate(partial(self._column, rows, targets, positions), rows.size), null=True)
        for number, condition in enumerate(self.precomputed.demanded):
            truth = condition.evaluate(partial(self._column, rows, targets, positions), rows.size)
            good &= as_truth(truth, null=False) | ~self._is_demanded(rows, number, turn)
        keys = [self._key(rule, rows, targets, positions) for rule in self.precomputed.rules]
        return _Tried(targets, positions, keys, good)

    def _key(
        self, rule: Unique, rows: Ordinals, targets: dict[str, Ordinals], positions: dict[str, Any]
    ) -> tuple[NDArray[np.uint64], NDArray[np.bool_]]:
        """What rows hold under a rule, and whether they count: of a rule over some rows only those do."""
        key, counts = self.keys.of(rule, rows, targets, positions)
        for about, condition in self.precomputed.conditions:
            if about == rule:
                truth = condition.evaluate(partial(self._column, rows, targets, positions), rows.size)
                counts = counts & as_truth(truth, null=False)
        return key, counts

    def _is_demanded(self, rows: Ordinals, number: int, turn: int) -> NDArray[np.bool_]:
        """Whether rows are among those that must keep one of the conditions: a quarter of all for these, in turn; where not so
        many find a place one for each, and at last none."""
        every = _DEMANDED * len(self.precomputed.demanded)
        if turn >= _TO_NONE:
            one = rows == min(_DEMANDED * number, self.total - 1)
            return np.asarray(one & (turn < _NO_DEMANDS))
        return np.asarray(rows % every == _DEMANDED * number)

    def _column(self, rows: Ordinals, targets: dict[str, Ordinals], positions: dict[str, Any], path: str) -> Any:
        """A column of the rows as they are drawn in this round."""
        name = next(name for name in self.entity.field_names if name.lower() == path.lower())
        if name in positions:
            return self.keys.drawn(name).values.decode(positions[name])
        owner = self.plan.owner.relation if self.plan.owner is not None else None
        for relation in self.relations if owner is None else [*self.relations, self.entity.relation(owner)]:
            if name in relation.columns:
                target = targets[relation.name] if relation.name in targets else self.rows.owners()[0][rows]
                if relation.target == self.entity.name:
                    there = self._of_own_rows(relation, name, target)
                else:
                    theirs = relation.target_columns[relation.columns.index(name)]
                    there = whole_column(self.runtime, relation.target, theirs)
                    target = np.where(target >= len(there), -1, target)
                return picked(there, np.maximum(target, 0), target < 0)
        if not isinstance(self.plan.fields[name].way, Counting):  # it hangs on nothing that is worked out here
            return self.rows.column(name).take(pa.array(rows))
        return self._counted(name, rows)

    def _of_own_rows(self, relation: Relation, name: str, target: Ordinals) -> Any:
        """What rows of the entity itself have in the column that others of it refer to: it counts up."""
        theirs = relation.target_columns[relation.columns.index(name)]
        return self._counted(theirs, np.arange(max(1, self.total), dtype=np.int64))

    def _counted(self, name: str, rows: Ordinals) -> Any:
        field = self.plan.fields[name]
        assert isinstance(field.way, Counting) and field.axis is not None
        return field.axis.column(counted(self.plan, field.way, rows))

    def _in_order(self, relation: Relation, rows: Ordinals, targets: dict[str, Ordinals]) -> NDArray[np.bool_]:
        """Whether one reference goes to no lower key than another; the two change order where both were drawn freely."""
        assert relation.above is not None
        low, high = targets[relation.above], targets[relation.name]
        rank = rank_by_key(self.runtime, relation)
        below, above = (at if rank is None else rank[np.maximum(at, 0)] for at in (low, high))
        turned = (low >= 0) & (high >= 0) & (below > above)
        owner = self.plan.owner.relation if self.plan.owner is not None else None
        if {relation.name, relation.above} & {*self.members, owner}:
            return ~turned
        free = turned & (rows >= self.plan.fixed)
        targets[relation.above], targets[relation.name] = np.where(free, high, low), np.where(free, low, high)
        return ~turned | free

    def _draw(
        self, relation: Relation, rows: Ordinals, targets: dict[str, Ordinals], turn: int
    ) -> tuple[Ordinals, NDArray[np.bool_]]:
        """A target for each row, and whether there is one where there must be."""
        every = np.ones(rows.size, bool)
        if turn >= _TO_NONE and turn % 2 and relation.name in self.loose:
            return np.full(rows.size, -1, np.int64), every
        owner = self.plan.owner
        if owner is not None and owner.relation == relation.name:
            return self.rows.owners()[0][rows], every
        total = self.runtime.plan.entities[relation.target].total
        bits = self.precomputed.bits
        words = bits.for_purpose(f"round {turn} to {relation.name}").words(rows)
        if relation.name in self.members:
            found = self.members[relation.name].pick(words, self._follow(targets), rows)
            return found, (found >= 0) | may_be_null(self.plan, relation)
        if relation.target == self.entity.name:
            earlier = below(words, np.maximum(rows, 1).astype(np.uint64)).astype(np.int64)
            return np.where(rows == 0, -1 if may_be_null(self.plan, relation) else 0, earlier), every
        if not total:
            return np.full(rows.size, -1, np.int64), np.full(rows.size, may_be_null(self.plan, relation))
        if turn == 0:
            favour = relation.favour
            shares = popularity(*((favour.few, favour.take) if favour else (0.2, 0.5)), total)
            dealt = PopularitySplit.build(
                total,
                self.total,
                shares,
                *(bits.for_purpose(f"{what} of {relation.name}").key for what in ("owners", "children")),
            )
            return dealt.owner_of(rows), every
        return below(words, total).astype(np.int64), every

    def _follow(self, targets: dict[str, Ordinals]) -> Callable[[str, Way], Ordinals]:
        return lambda name, way: self.runtime.lead(self.entity.relation(name).target, targets[name], way)

    # rows of earlier stages

    def _take_earlier(self) -> None:
        """What rows of earlier stages hold under the rules that they share with these is taken."""
        if not self.precomputed.beside or self.plan.earlier is None or self.runtime.before is None:
            return
        kept, needed = self.runtime.plan.kept, [r for r in self.precomputed.rules if str(r) in self.precomputed.beside]
        for start in range(0, self.plan.earlier_rows, _BLOCK):
            ordinals = np.arange(start, min(self.plan.earlier_rows, start + _BLOCK), dtype=np.int64)
            rows = self.runtime.before.rows(self.entity.name, ordinals)
            # what refers to rows that this stage adds is none of these
            targets = {r.name: rows.targets(r.name) if r.target in kept else np.full(ordinals.size, -1) for r in self.relations}
            columns = {name: rows.column(name) for rule in needed for name in rule.columns}
            words = {name: self.keys.words(name, columns[name]) for name in self.keys.worded}
            for number, rule in enumerate(self.precomputed.rules):
                if rule in needed:
                    key, counts = self.keys.of(rule, ordinals, targets, words, earlier=columns)
                    for name in rule.columns:
                        counts &= np.asarray(columns[name].is_valid())
                    self.taken[number].add(key[counts])

    # rows given by hand

    def _fixed_targets(self) -> dict[str, Ordinals]:
        """What fixed rows refer to: an ordinal, -1 for none, -2 where nothing is said."""
        out = {}
        for relation in self.relations:
            table = np.full(max(1, self.plan.fixed), -2, np.int64)
            for number, row in enumerate(self.entity.fixed):
                values = dict(row)
                if not all(column in values for column in relation.columns):
                    continue
                texts = [values[column] for column in relation.columns]
                given = tuple(text for text in texts if text is not None)
                table[number] = find_key(self.runtime.plan, relation, given) if len(given) == len(texts) else -1
            out[relation.name] = table
        return out
