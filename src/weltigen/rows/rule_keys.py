"""What rows hold under unique rules, as words: rows that a rule takes for equal have the same one.

Under a rule a row holds rows that it refers to, parts of their keys, and values at positions. Values given by hand, and those of
earlier stages, may lie at other positions or at none, so beside these values are compared and not positions.
"""

from __future__ import annotations

from datetime import timedelta
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from numpy.typing import NDArray

from ..model import Relation, Unique
from ..model.folding import Fold
from ..model.literals import read_stored
from ..plan.entity import EntityPlan
from ..plan.fields import Drawn
from ..plan.folding import fold_in_rules, folded_column
from ..plan.ports import Ordinals
from ..randomness.mixing import mix
from .columns import _LINK, numbered, whole_column, words_of
from .ports import PlannedRuntime

_GIVEN = np.uint64(1 << 62)  # codes from here on are values given by hand


class RuleKeys:
    """The words of an entity's rules. `given` are the values of fixed rows by field, `worded` the fields whose
    values are compared with those of earlier stages."""

    def __init__(self, runtime: PlannedRuntime, entity_plan: EntityPlan, relations: list[Relation]) -> None:
        assert entity_plan.precomputed is not None
        self.runtime, self.plan, self.precomputed = runtime, entity_plan, entity_plan.precomputed
        self.entity, self.relations = entity_plan.entity, relations
        names = [digit.name for digit in self.precomputed.fields]
        self.given = {name: self._given_values(name) for name in names}
        self.worded = {n for n in names for r in self.precomputed.rules if str(r) in self.precomputed.beside and n in r.columns}
        self._whole_codes: dict[tuple[str, tuple[str, ...]], Ordinals] = {}
        self._whole_words: dict[tuple[str, str], NDArray[np.uint64]] = {}

    def of(
        self,
        rule: Unique,
        rows: Ordinals,
        targets: dict[str, Ordinals],
        positions: dict[str, Any],
        earlier: dict[str, Any] | None = None,
    ) -> tuple[NDArray[np.uint64], NDArray[np.bool_]]:
        """A word for what each row holds under the rule, and whether it counts: rows with a null do not.

        Of rows of `earlier` stages, whose columns these are, `positions` are words already.
        """
        key = np.zeros(rows.size, np.uint64)
        counts = np.ones(rows.size, bool)
        left = set(rule.columns)
        code: NDArray[Any]
        for relation in self.relations:
            covered = tuple(column for column in relation.columns if column in left)
            if not covered:
                continue
            left -= set(covered)
            target = targets[relation.name]
            apart = self.runtime.plan.entities[relation.target].entity.tells_apart(relation.target_columns)
            by_values = len(covered) < len(relation.columns) or not apart
            if by_values and str(rule) in self.precomputed.beside:
                if earlier is None:
                    counts &= target >= 0
                    code = self._words_there(relation, covered, target)
                else:
                    code = self._words_held(relation, covered, earlier)
                key = mix(_LINK, key * np.uint64(31) + code)
                continue
            counts &= target >= 0
            if by_values:
                columns = tuple(relation.target_columns[relation.columns.index(column)] for column in covered)
                code = self._codes(relation.target, columns)[np.maximum(target, 0)]
            else:
                code = target
            key = mix(_LINK, key * np.uint64(31) + code.astype(np.uint64))
        for name in sorted(left & set(positions)):
            code = positions[name]
            if name in self.worded and earlier is None:
                code = self.words(name, self.drawn(name).values.decode(code))
            elif earlier is None and (given := self.given[name]) is not None:
                values, of_row = given
                decoded = folded_column(self.drawn(name).values.decode(code), self._fold(name))
                same = pc.index_in(decoded, value_set=values)
                same = pc.fill_null(same, -1).to_numpy(zero_copy_only=False).astype(np.int64)
                own = of_row[np.minimum(rows, len(of_row) - 1)]
                same = np.where((rows < len(of_row)) & (own >= 0), own, same)
                code = np.where(same >= 0, _GIVEN + np.maximum(same, 0).astype(np.uint64), code)
            key = mix(_LINK, key * np.uint64(31) + code)
        return key, counts

    def drawn(self, name: str) -> Drawn:
        way = self.plan.fields[name].way
        assert isinstance(way, Drawn)
        return way

    def _codes(self, target: str, columns: tuple[str, ...]) -> Ordinals:
        """Small numbers that are the same for rows of the target which agree on these columns."""
        if (target, columns) not in self._whole_codes:
            self._whole_codes[target, columns] = numbered([whole_column(self.runtime, target, column) for column in columns])
        return self._whole_codes[target, columns]

    def _words_there(self, relation: Relation, covered: tuple[str, ...], targets: Ordinals) -> NDArray[np.uint64]:
        """A word for what each row holds in some columns of a reference, of which a rule has no others."""
        word = np.zeros(targets.size, np.uint64)
        for column in covered:
            theirs = relation.target_columns[relation.columns.index(column)]
            key = (relation.target, theirs)
            if key not in self._whole_words:
                self._whole_words[key] = words_of(whole_column(self.runtime, *key))
            word = mix(_LINK, word + self._whole_words[key][np.maximum(targets, 0)])
        return word

    def _words_held(self, relation: Relation, covered: tuple[str, ...], columns: dict[str, Any]) -> NDArray[np.uint64]:
        """The same of rows of earlier stages, by the columns themselves."""
        word = np.zeros(len(columns[covered[0]]), np.uint64)
        target = self.runtime.plan.world.entity(relation.target)
        for column in covered:
            kind = target.field(relation.target_columns[relation.columns.index(column)]).type.arrow()
            word = mix(_LINK, word + words_of(columns[column].cast(kind)))
        return word

    def words(self, name: str, column: Any) -> NDArray[np.uint64]:
        """Values as words, the same for those that a rule takes for equal. Two others that share one are only drawn again."""
        axis, rounded = self.plan.fields[name].axis, self.drawn(name).rounded
        column = folded_column(column, self._fold(name))
        if rounded > 1 and axis is not None:
            units = axis.read(pc.fill_null(column, axis.column(np.zeros(1, np.int64))[0]))
            origin = -3 * rounded // 7 if rounded == axis.span(timedelta(weeks=1)) else 0  # weeks begin on Mondays
            return ((units - origin) // rounded).astype(np.uint64)
        return words_of(column)

    def _fold(self, name: str) -> Fold:
        return fold_in_rules(self.runtime.plan, self.plan, name)

    def _given_values(self, name: str) -> tuple[Any, Ordinals] | None:
        """The values that fixed rows give for a field, and for each of them which; -1 where it gives none."""
        kind = self.entity.field(name).type
        texts = [dict(row).get(name) for row in self.entity.fixed]
        if not any(text is not None for text in texts):
            return None
        every = pa.array([read_stored(text, kind) if text is not None else None for text in texts], kind.arrow())
        every = folded_column(every, self._fold(name))
        values = every.drop_null().unique()
        return values, pc.fill_null(pc.index_in(every, value_set=values), -1).to_numpy(zero_copy_only=False).astype(np.int64)
