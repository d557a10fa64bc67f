"""A database: looked at first, tables made where there are none, rows in one transaction, checked by the database, or nothing."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any

from ...model import Entity, World
from ...model.phrases import listed
from ...model.problems import RefusedError, UsageError
from ...plan import Plan
from ...planning.delete_order import delete_order_of
from ...stored.names import LEDGER
from ...stored.receipts import Receipt
from ..handling import Handling
from ..target import Begun, Intent, not_made, rows_to_write
from .differences import differences
from .guard import is_here, refuse_protected, refuse_unconfirmed
from .ledger import Ledger, Run
from .place import Place, Trigger


@dataclass(frozen=True, slots=True, kw_only=True)
class _Seen:
    """What was found before anything was done."""

    found: World | None
    missing: list[Entity]
    deletes: Mapping[str, int]
    triggers: list[Trigger]


def _about(trigger: Trigger, rests: bool) -> str:
    did = "did not run on these rows" if rests else "ran on these rows, and may have changed them"
    return f"trigger {trigger.name} of {trigger.entity.name} {did}"


_SHOWN = 5  # entities that a message lists


def _amounts(rows: Mapping[str, int]) -> str:
    shown = [f"{name} {number:,}" for name, number in rows.items()]
    more = [f"and {len(shown) - _SHOWN} more tables"] if len(shown) > _SHOWN else []
    return " · ".join([*shown[:_SHOWN], *more])


class DatabaseTarget:
    """Where rows are is never written to unless that was asked for; see `Handling`."""

    def __init__(self, place: Place, handling: Handling) -> None:
        self.place, self.handling, self.name = place, handling, place.name
        self.notes: tuple[str, ...] = ()
        self._plan: Plan | None = None

    def prepare(self, plan: Plan, there: Mapping[str, int] | None = None) -> None:
        """As `Target.prepare`; where an entity's first rows are there already (`Entity.there`), just these must be."""
        self._open(plan, there, self._begin)

    def intend(self, plan: Plan, there: Mapping[str, int] | None = None) -> Intent:
        seen = self._open(plan, there, lambda seen: None)
        self.place.abandon()
        creates = tuple(entity.name for entity in seen.missing)
        notes = tuple(f"trigger {one.name} of {one.entity.name} runs on inserts" for one in seen.triggers)
        if seen.deletes and self.handling.confirm != self.place.database:
            notes += (f"to delete rows: --confirm {self.place.database}" + ("" if is_here(self.place.host) else " --remote"),)
        return Intent(
            target=self.place.name, creates=creates, writes=rows_to_write(plan, there), deletes=seen.deletes, notes=notes
        )

    def begin_in_steps(
        self, plan: Plan, there: Mapping[str, int] | None, look: Callable[[list[Run]], Mapping[str, int] | None],
        mark: Callable[[tuple[str, ...]], None],
    ) -> tuple[str, ...]:  # fmt: skip
        """As `prepare`, for a run in several transactions. `look` is shown the ledger's runs, and gives the rows that this run
        left there when it was cut off; `mark` is called with the tables that will be made where no transaction takes definitions
        back; the result names the tables that were made."""
        made: tuple[str, ...] = ()

        def expected() -> Mapping[str, int] | None:
            known = look(Ledger(self.place).runs())
            return there if known is None else {**(there or {}), **{n: (there or {}).get(n, 0) + r for n, r in known.items()}}

        def begin(seen: _Seen) -> None:
            nonlocal made
            made = tuple(entity.name for entity in seen.missing)
            if made and self.place.defines_at_once:
                mark(made)
            self._begin(seen)

        self._open(plan, there, begin, expected)
        return made

    def _open(
        self, plan: Plan, there: Mapping[str, int] | None, then: Callable[[_Seen], None],
        expected: Callable[[], Mapping[str, int] | None] | None = None,
    ) -> _Seen:  # fmt: skip
        self._plan = plan
        self.place.require(plan)
        try:
            self.place.open(self.handling.wait)
            seen = self._look(plan, expected() if expected is not None else there)
            then(seen)
        except Exception as error:
            said = self.place.failure(error, "looking at what is there")  # which may ask others who holds a lock
            self.place.abandon()
            raise said from None
        except BaseException:
            self.place.abandon()
            raise
        return seen

    def _look(self, plan: Plan, there: Mapping[str, int] | None) -> _Seen:
        """What is there, and what would become of it; RefusedError where that was not asked for."""
        place, world = self.place, plan.world
        refuse_protected(place, world.protected)
        found = place.world()
        tables = self._tables(world, found)
        filled = [plan.entities[name].entity for name in plan.order]
        missing = [entity for entity in filled if entity.name not in tables]
        held = self._rows_there(plan, tables, there)
        strict = place.dialect != "sqlite"
        apart = [text for e in filled if e.name in tables for text in differences(e, tables[e.name], strict)]
        if apart:
            raise RefusedError(
                f"the tables in {place.name} are not those of the model; nothing was changed: {listed(apart, 12)}",
                hint="change the tables or the model, or read the model from the database itself",
            )
        others = [entity.name for entity in found.entities] if found is not None else []
        if missing and others and not self.handling.create:
            if not set(others) - {LEDGER} - {table.name for table in tables.values()}:  # cut off in the middle of its definitions
                raise RefusedError(
                    f"{place.name} holds only some of the model's tables: {listed([e.name for e in missing], 6)}"
                    f" {'is' if len(missing) == 1 else 'are'} missing; nothing was changed",
                    hint="drop those that a run left when it was cut off while it made them; --create makes the others",
                )
            raise RefusedError(
                f"{place.name} holds other tables ({listed(others, 4)}), but not {listed([e.name for e in missing], 6)};"
                " nothing was changed",
                hint="--create makes them beside those that are there",
            )
        triggers = place.triggers([e for e in filled if e.name in tables])
        deletes = held if self.handling.on_rows == "replace" else {}
        return _Seen(found=found, missing=missing, deletes=deletes, triggers=triggers)

    def _begin(self, seen: _Seen) -> None:
        plan, place = self._plan, self.place
        assert plan is not None
        if seen.deletes:
            total = f"{sum(seen.deletes.values()):,} rows ({_amounts(seen.deletes)})"
            refuse_unconfirmed(place, self.handling.confirm, self.handling.remote, total)
            self._empty(plan, seen)
        resting = [one for one in seen.triggers if not self.handling.run_triggers and place.rest(one)]
        left = place.create(plan.world, seen.missing) if seen.missing else []
        self.notes = (*(_about(one, one in resting) for one in seen.triggers), *map(not_made, left))
        if self.handling.ledger and not Ledger(place).exists():
            Ledger(place).create()
        if self.handling.indexes_last:
            made = {entity.name for entity in seen.missing}
            place.put_off_indexes([plan.entities[name].entity for name in plan.order if name not in made])
        place.begin_rows(plan, seen.found, frozenset(entity.name for entity in seen.missing))

    def _tables(self, world: World, found: World | None) -> dict[str, Entity]:
        """The table of each entity that has one."""
        if found is None:
            return {}
        by_table = {self.place.key(entity): entity for entity in found.entities}
        return {e.name: by_table[table] for e in world.entities if (table := self.place.key(e)) in by_table}

    def _rows_there(self, plan: Plan, tables: Mapping[str, Entity], there: Mapping[str, int] | None) -> dict[str, int]:
        """Rows by entity that are there; RefusedError where they are not those that were expected."""
        place, entities = self.place, plan.world.entity
        held = {name: place.count(entities(name)) for name in plan.order if name in tables and place.holds_rows(entities(name))}
        if self.handling.on_rows == "replace":
            return held
        expected = dict(there or {})
        for name in plan.order:
            if entities(name).there:
                expected[name] = entities(name).there + expected.get(name, 0)
        changed = [f"{name} {held.get(name, 0):,}, not {rows:,}" for name, rows in expected.items() if held.get(name, 0) != rows]
        if changed:
            said = f"{place.name} does not hold the rows that were there before; nothing was changed"
            hint = "run it again; rows that fill wrote must be as it wrote them"
            raise RefusedError(f"{said}: {listed(changed, 4)}", hint=hint)
        if unasked := {name: rows for name, rows in held.items() if name not in expected}:
            raise RefusedError(
                f"{place.name} holds rows; nothing was changed: {_amounts(unasked)}",
                hint=f"--on-rows keep fills what is empty, append adds, replace --confirm {place.database} deletes these first",
            )
        return held

    def _empty(self, plan: Plan, seen: _Seen) -> None:
        """All rows of the world's tables go, children first, within the transaction that brings the new ones; no row of any other
        table, not even by a delete rule."""
        deletes = seen.deletes
        keys = {self.place.key(plan.world.entity(name)): name for name in deletes}
        for other in seen.found.entities if seen.found is not None else ():
            if self.place.key(other) in {self.place.key(entity) for entity in plan.world.entities}:
                continue
            for relation in other.relations:
                target = keys.get(self.place.key(seen.found.entity(relation.target))) if seen.found is not None else None
                given = " AND ".join(f"{self.place.quoted(column)} IS NOT NULL" for column in relation.columns)
                if target is None or relation.guess is not None:
                    continue
                if self.place.query(f"SELECT count(*) FROM {self.place.table(other)} WHERE {given}")[0][0]:
                    said = f"rows of {other.name}, which is not in the world, refer to {target}; nothing was changed"
                    hint = "put that table into the world, or delete these rows yourself"
                    raise RefusedError(f"{self.place.name}: {said}", hint=hint)
        order, entity = delete_order_of(plan), plan.world.entity
        loosened = [(entity(relation.entity), relation.columns) for relation in order.loosened if relation.entity in deletes]
        self.place.clear([entity(name) for name in order.order if name in deletes], loosened)

    def convert(self, entity: str, batch: Any) -> Any:
        assert self._plan is not None
        return self.place.convert(self._plan.entities[entity], batch)

    def write(self, entity: str, converted: Any) -> None:
        assert self._plan is not None
        try:
            self.place.load(self._plan.entities[entity], converted)
        except Exception as error:
            raise self.place.failure(error, entity) from None

    def begun(self) -> Mapping[str, Begun]:
        return {}

    def note(self, entity: str, rows: int, digest: bytes) -> None:
        """Nothing is gone on with here."""

    def complete(self, entity: str) -> None:
        """Everything is committed together."""

    def finish(self, receipt: Receipt) -> None:
        try:
            self.notes += tuple(self.place.end_rows())
            if self.handling.ledger and self._plan is not None:
                ledger = Ledger(self.place)
                ledger.finish(ledger.begin(self._plan, ledger.runs(), receipt), receipt)
            self.place.commit(receipt)
        except Exception as error:
            raise self.place.failure(error, "checking what was loaded") from None
        self.place.close()

    def abandon(self) -> None:
        self.place.abandon()


def refuse_some(handling: Handling, kind: str) -> None:
    """UsageError where an option makes no sense for a target that is no database."""
    asked = {
        "--create": handling.create,
        "--confirm": handling.confirm,
        "--remote": handling.remote,
        "--connections": handling.connections != 1,
        "--indexes-last": handling.indexes_last,
    }
    for option, is_asked in asked.items():
        if is_asked:
            raise UsageError(f"{option} is for databases, and this is {kind}", hint=f"leave out {option}")
    if handling.on_rows not in (None, "append"):
        raise UsageError(f"--on-rows {handling.on_rows} is for databases, and this is {kind}",
                         hint="rows can be added: --on-rows append")  # fmt: skip
