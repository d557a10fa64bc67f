"""Rows while they are made: some ordinals of one entity, and the columns worked out for them so far."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from typing import Any, cast

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from ..model.paths import Path, field_at
from ..model.ties import Way
from ..plan.child_blocks import ChildBlock
from ..plan.entity import EntityPlan
from ..plan.formulas import ChildAggregate
from ..plan.owner_counts import Owner
from ..plan.ports import Column, Ordinals, T, redraw_key
from ..values import Person
from ..values.pools import picked
from .aggregates import aggregate
from .owned import owned_blocks
from .ports import PlannedRows, PlannedRuntime
from .positions import positions_of
from .rejection import settle

SMALL = 1 << 18  # columns of entities up to this many rows are kept once made, for the rows that refer to them


def take(column: Any, index: Ordinals, null: NDArray[np.bool_] | None) -> Any:
    """Entries of a column, null where `null` is true; one row alone is a slice."""
    if null is None and len(index) == 1:
        return column.slice(int(index[0]), 1)
    return picked(column, index, null)


class Rows:
    """Columns of some rows, each made when it is first asked for."""

    __slots__ = ("_adopted", "_family", "_made", "_whole", "attempt", "ordinals", "plan", "redrawn", "runtime")

    def __init__(
        self,
        runtime: PlannedRuntime,
        plan: EntityPlan,
        ordinals: Ordinals,
        attempt: int = 0,
        redrawn: frozenset[str] = frozenset(),
    ) -> None:
        self.runtime, self.plan, self.ordinals, self.attempt = runtime, plan, ordinals, attempt
        self._made: dict[Any, Any] = {}
        self.redrawn = redrawn
        self._whole: tuple[Rows, Ordinals] | None = None
        self._adopted: tuple[str, PlannedRows, ChildBlock] | None = None
        self._family: Mapping[str, tuple[str, ...]] = {}

    @property
    def name(self) -> str:
        """The entity's name."""
        return self.plan.name

    def __len__(self) -> int:
        return len(self.ordinals)

    def once(self, key: Any, make: Callable[[], T]) -> T:
        """What `make` gives, made once for these rows."""
        if key not in self._made:
            self._made[key] = make()
        return cast(T, self._made[key])

    def column(self, field: str) -> Any:
        """The Arrow column of one field."""
        made = self._made.get(field)
        if made is None and self._whole is not None and field in self._whole[0]._made:
            made = self._made[field] = picked(self._whole[0]._made[field], self._whole[1])
        if made is None:
            if field not in self.redrawn:
                for group in self.plan.rejection_groups:
                    if field in group.fields:
                        self._made.update(settle(group, self))
                        return self._made[field]
            made = self._made[field] = self.plan.fillers[field].fill(self)
        return made

    def aggregate(self, wanted: ChildAggregate, together: tuple[ChildAggregate, ...]) -> Column:
        """What one function over the rows that refer to these comes to; those of `together` are worked out in one go."""
        return aggregate(self, wanted, together)

    def generated(self) -> Ordinals:
        """Ordinals counted from the first generated row; negative for fixed rows."""
        return self.ordinals - self.plan.fixed if self.plan.fixed else self.ordinals

    def adopt(self, owner_rows: PlannedRows, relation: str, block: ChildBlock) -> None:
        """Says that these are the children, by their owner, of some rows of others: what those know is not made again."""
        self._made["targets", relation] = owner_rows.ordinals[block.at]
        self._made["reached", relation, False, False] = (owner_rows, block.at)
        self._adopted = (relation, owner_rows, block)

    def keep_owned(self, family: Mapping[str, tuple[str, ...]]) -> None:
        """Says that the rows which these own are wanted too, and what those own: entities by the entity that owns them.

        What a sum over them makes is then kept until `hand_over`.
        """
        self._family = family

    def owned(self, child: str) -> Iterator[tuple[PlannedRows, Ordinals]]:
        """The generated rows of an entity that these own, rising, in blocks with the index of each one's owner among these."""
        if child not in self._family.get(self.name, ()):
            return owned_blocks(self, self.runtime.plan.entities[child])
        return iter(self.once(("owned", child), lambda: list(self._kept(child))))

    def _kept(self, child: str) -> Iterator[tuple[PlannedRows, Ordinals]]:
        for rows, at in owned_blocks(self, self.runtime.plan.entities[child]):
            rows.keep_owned(self._family)
            yield rows, at

    def hand_over(self, child: str) -> Iterator[PlannedRows]:
        """The rows of an entity that these own, in blocks, with what is made of them; each is let go as the next is taken."""
        blocks = list(self.owned(child))
        self._made.pop(("owned", child), None)
        while blocks:
            yield blocks.pop(0)[0]

    def owners(self) -> tuple[Ordinals, Ordinals, Ordinals]:
        """Owner, rank among the owner's rows, and how many those are; fixed rows count as the first row's."""
        owner = self.plan.owner
        assert owner is not None
        return self.once(("owners",), lambda: self._owners(owner))

    def _owners(self, owner: Owner) -> tuple[Ordinals, Ordinals, Ordinals]:
        if self._adopted is not None:
            relation, _, block = self._adopted
            return (self._made["targets", relation], *block.ranks())
        if self._whole is not None:
            of, rank, count = self._whole[0].owners()
            return of[self._whole[1]], rank[self._whole[1]], count[self._whole[1]]
        if len(self.ordinals) == 1:
            one = owner.split.locate_one(max(0, int(self.generated()[0])))
            return np.array(one[:1]), np.array(one[1:2]), np.array(one[2:])
        return owner.split.locate(np.maximum(self.generated(), 0) if self.plan.fixed else self.ordinals)

    def person(self) -> Person:
        people = self.plan.people
        assert people is not None
        return self.once(("person",), lambda: people.at(self.ordinals))

    def digit(self, component: int, name: str) -> NDArray[np.uint64]:
        """The positions of one digit of a unique rule."""
        made = self.once(("component", component), lambda: positions_of(component, self))
        return made[name]

    def targets(self, relation: str) -> Ordinals:
        """The ordinals of the rows that a relation points to, -1 for none."""
        return self.once(("targets", relation), lambda: self._targets(relation))

    def _targets(self, relation: str) -> Ordinals:
        if self._whole is not None:
            return np.asarray(self._whole[0].targets(relation)[self._whole[1]], np.int64)
        if self.plan.rejection_groups and redraw_key(relation) not in self.redrawn:
            for group in self.plan.rejection_groups:
                if relation in group.relations:
                    self._made.update(settle(group, self))
                    found: Ordinals = self._made["targets", relation]
                    return found
        return np.asarray(self.plan.references[relation].targets(self), np.int64)

    def follow(self, relation: str, way: Way) -> Ordinals:
        """Where a way that begins with a relation ends, in ordinals of the last entity; -1 where it leads to nothing."""
        if not way:
            return self.targets(relation)
        return self.once(("follow", relation, way), lambda: self._follow(relation, way))

    def _follow(self, relation: str, way: Way) -> Ordinals:
        if self._adopted is not None and self._adopted[0] == relation and self._adopted[1].runtime is self.runtime:
            _, owner_rows, block = self._adopted
            return owner_rows.follow(way[0], way[1:])[block.at]
        at = self.plan.entity.relation(relation).target
        for name in way[:-1]:
            at = self.runtime.plan.entities[at].entity.relation(name).target
        return self.runtime.lead(at, self.follow(relation, way[:-1]), way[-1:])

    def path(self, path: Path, earlier: bool = False) -> Any:
        """A column of these rows, or of the rows to which relations lead; null where one of them points to nothing.

        `earlier`: what fills a field by a row of its own entity asks only rows that come before it, so that it comes to an end.
        """
        return self.column(path[0]) if len(path) == 1 else self.reach(path[0], path[1:], earlier)

    def reach(self, relation: str, path: Path, earlier: bool = False) -> Any:
        """A column of the rows that a relation points to, or of those to which the path leads on from there."""
        targets = self.targets(relation)
        target = self.runtime.plan.entities[self.plan.references[relation].relation.target]
        to_itself = target.name == self.plan.name
        absent = targets < 0
        if earlier and to_itself:
            absent |= targets >= self.ordinals
        null = absent if absent.any() else None
        if null is not None and null.all():
            return pa.nulls(len(self), field_at(self.runtime.plan.world, target.entity, path).type.arrow())
        cheap = len(path) == 1 and target.fillers[path[0]].cheap
        if target.total <= SMALL and not cheap and not to_itself:
            return take(self.runtime.whole(target.name, path), targets, null)
        key = ("reached", relation, cheap, earlier and to_itself)
        reached, index = self.once(key, lambda: self._reached(target, targets, null, cheap))
        column = reached.path(path, earlier)
        if index is None:
            return column
        return take(column, index, null)

    def _reached(self, target: EntityPlan, targets: Ordinals, null: Any, cheap: bool) -> tuple[PlannedRows, Ordinals | None]:
        """The rows reached, each once where they fill their range, and each row's index among them; None: they stand alike."""
        given: Ordinals | None = None  # of rows some of which refer to nothing, the index among those that do
        if null is not None:
            targets, given = targets[~null], np.maximum(np.cumsum(~null) - 1, 0)
        elif cheap:
            return self.runtime.rows(target.name, targets), None
        if len(targets) > 1 and target.name != self.plan.name:  # of the rows themselves only those asked for can be made
            low, high = int(targets.min()), int(targets.max())
            if high - low < len(targets):
                index = targets - low
                reached = self.runtime.rows(target.name, np.arange(low, high + 1, dtype=np.int64))
                return reached, index if given is None else index[given]
        return self.runtime.rows(target.name, targets), given

    def in_stages(self) -> list[PlannedRows]:
        """The rows as the stages have them that made them."""
        return [self]

    def some(self, chosen: Ordinals) -> Rows:
        """Only the rows at `chosen`; columns that are made already are taken from, not made again."""
        part = Rows(self.runtime, self.plan, self.ordinals[chosen], self.attempt, self.redrawn)
        part._whole = (self, chosen)
        return part

    def redraw(self, chosen: Ordinals, attempt: int, redrawn: frozenset[str]) -> Rows:
        """Some of these rows, whose `raw` fields are made anew for another attempt."""
        return Rows(self.runtime, self.plan, self.ordinals[chosen], attempt, redrawn)
