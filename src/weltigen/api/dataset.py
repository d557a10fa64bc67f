"""A dataset: the rows of a world for one seed, made when they are asked for."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from pathlib import Path
from typing import Any

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from ..engine import BATCH, Row, batches, families, made, make_rows, schema_of
from ..expression import NotEvaluableError, parse
from ..model.phrases import listed
from ..model.problems import RefusedError, UsageError, nearest
from ..plan import Formula, Plan, bind, first_row, together
from ..plan.formulas import tried_on_nothing
from ..planning import next_plan
from ..planning.passwords import known_passwords
from ..rows import PlanRuntime
from ..stored.digests import block_digest, entity_digest
from ..stored.locations import DuckdbFile, SqliteFile, is_url, location_of, named_by_environment
from ..stored.receipts import Receipt, StageReceipt, joined_digest, receipt_at
from ..targets import ON_ROWS, Handling, Intent, open_target
from ..targets import fill as fill_target
from ..targets.databases import DatabaseTarget, ledger_of
from ..targets.run import Only, Progress
from ..targets.steps import fill_in_steps


class Dataset:
    """Rows by entity and ordinal. Cheap to hold: values are computed, never stored."""

    def __init__(self, plan: Plan) -> None:
        self.plan = plan
        self.runtime = PlanRuntime(plan)

    @property
    def counts(self) -> Mapping[str, int]:
        """Rows by entity, in fill order."""
        return {name: self.plan.entities[name].total for name in self.plan.order}

    @property
    def passwords(self) -> Mapping[str, str]:
        """What somebody logs in with, by `entity.field`, of fields that hold passwords."""
        return known_passwords(self.plan)

    def __repr__(self) -> str:
        return f"<dataset of {self.plan.world.name}, seed {self.plan.seed}: {sum(self.counts.values()):,} rows>"

    def next_stage(
        self, *, rows: Mapping[str, int] | None = None, times: float = 0.0, set: Mapping[str, Any] | None = None
    ) -> Dataset:
        """This dataset with rows added behind its own, none of which changes.

        `rows` sets rows of entities, `times` multiplies the rows that the world says roots have; rows that belong to
        added ones are added too. Added rows refer to added rows where their target got some, else to earlier ones.
        Raises ImpossibleError with everything that cannot be added.
        """
        plan = next_plan(self.plan, rows=rows, times=times, set=set).check()
        return Dataset(together((*(self.plan.stages or (self.plan,)), plan)))

    def added(self, entity: str) -> range:
        """The ordinals of an entity's rows in the last stage."""
        self.plan.entity(entity)
        stages = self.plan.stages or (self.plan,)
        total = self.plan.entities[entity].total
        return range(total if entity in stages[-1].kept else first_row(stages[-1], entity), total)

    def batches(self, entity: str, *, size: int = BATCH, workers: int = 1) -> Iterator[Any]:
        """The rows of an entity as `pyarrow.RecordBatch`es of `size` rows, in order."""
        self.plan.entity(entity)
        _refuse_none(size, workers)
        return batches(self.runtime, entity, size=size, workers=workers)

    def all_batches(self, *, size: int = BATCH, workers: int = 1) -> Iterator[tuple[str, Any]]:
        """All rows, as pairs of an entity and a `pyarrow.RecordBatch` of `size` rows.

        Each entity's come in order, and owners before the rows that they own: an entity of which every row owns a few rows of
        others is made together with these. That is quicker than one entity after the other.
        """
        _refuse_none(size, workers)
        if self.plan.stages:
            return ((name, batch) for name in self.plan.order for batch in self.batches(name, size=size, workers=workers))
        return (
            pair
            for family in families(self.plan)
            for pair in made(self.runtime, family, lambda _, batch: batch, size=size, workers=workers)
        )

    def table(self, entity: str, *, cohort: str | Sequence[str] | None = None, workers: int = 1) -> Any:
        """All rows of an entity as a `pyarrow.Table`; with `cohort` those of one cohort, or of several at once."""
        schema = schema_of(self.plan.entity(entity))
        if cohort is not None:
            ordinals = self.members(entity, cohort)
            spans = range(0, len(ordinals), BATCH)
            return pa.Table.from_batches([make_rows(self.runtime, entity, ordinals[s : s + BATCH]) for s in spans], schema=schema)
        return pa.Table.from_batches(self.batches(entity, workers=workers), schema=schema)

    def members(self, entity: str, cohort: str | Sequence[str]) -> NDArray[np.int64]:
        """The ordinals of the rows of one cohort, or of those that are in several at once; rising."""
        known = self.plan.entity(entity).cohorts
        names = [cohort] if isinstance(cohort, str) else list(cohort)
        for name in names:
            if name not in known:
                elsewhere = [one.name for one in self.plan.world.entities if name in one.cohort_names]
                hint = nearest(name, tuple(known)) or f"{entity} has no cohorts"
                hint = f"it is one of {elsewhere[0]}" if elsewhere else hint
                raise UsageError(f"{entity} has no cohort '{name}'", hint=hint)
        found = []
        for stage in self.plan.stages or (self.plan,):
            if entity not in stage.kept:
                first, *others = [stage.entities[entity].cohorts[name].subset for name in names]
                ordinals = first.ordinals()
                for other in others:
                    ordinals = ordinals[other.chosen(ordinals)]
                found.append(ordinals + first_row(stage, entity))
        return np.concatenate(found)

    def rows(self, entity: str, *, where: str | None = None, cohort: str | Sequence[str] | None = None, workers: int = 1) -> Any:
        """The rows of an entity, or of a cohort, that keep an SQL condition, as a `pyarrow.Table`."""
        if where is None:
            return self.table(entity, cohort=cohort, workers=workers)
        kept = self.ordinals(entity, where=where, cohort=cohort)
        spans = range(0, len(kept), BATCH)
        pieces = [make_rows(self.runtime, entity, kept[start : start + BATCH]) for start in spans]
        return pa.Table.from_batches(pieces, schema=schema_of(self.plan.entity(entity)))

    def ordinals(self, entity: str, *, where: str | None = None, cohort: str | Sequence[str] | None = None) -> NDArray[np.int64]:
        """The ordinals of the rows of an entity, or of a cohort, that keep an SQL condition; rising."""
        condition, total = self._condition(entity, where) if where is not None else None, self.plan.entity(entity).total
        every = self.members(entity, cohort) if cohort is not None else np.arange(total, dtype=np.int64)
        if condition is None:
            return every
        parts = [every[start : start + BATCH] for start in range(0, len(every), BATCH)]
        kept = [part[condition.truth(self.runtime.rows(entity, part))] for part in parts]
        return np.concatenate(kept) if kept else every

    def frame(
        self, entity: str, *, columns: Sequence[str] | None = None, where: str | None = None,
        cohort: str | Sequence[str] | None = None, workers: int = 1,
    ) -> Any:  # fmt: skip
        """Rows of an entity as a `pandas.DataFrame`: all, those of a cohort, or those that keep the SQL condition `where`; of
        these all fields or `columns`. Nullable integers have pandas' nullable types."""
        import pandas as pd

        wide = {pa.int16(): pd.Int16Dtype(), pa.int32(): pd.Int32Dtype(), pa.int64(): pd.Int64Dtype()}
        for name in columns or ():
            if not self.plan.entity(entity).entity.has(name):
                raise UsageError(
                    f"{entity} has no field '{name}'", hint=nearest(name, self.plan.entity(entity).entity.field_names)
                )
        table = self.rows(entity, where=where, cohort=cohort, workers=workers)
        table = table.select(list(columns)) if columns is not None else table
        frame = table.to_pandas()
        for field in table.schema:
            if field.nullable and field.type in wide:
                frame[field.name] = table[field.name].to_pandas(types_mapper=wide.get)
        return frame

    def page(self, entity: str, start: int = 0, limit: int = 10, *, cohort: str | Sequence[str] | None = None) -> Any:
        """Some rows as a `pyarrow.RecordBatch`, without making those before them; with `cohort`, some of its rows."""
        from ..engine import make_batch

        if cohort is not None:
            return make_rows(self.runtime, entity, self.members(entity, cohort)[max(0, start) : max(0, start) + limit])
        total = self.plan.entity(entity).total
        start = min(max(0, start), total)
        return make_batch(self.runtime, entity, start, min(total, start + limit))

    def row(self, entity: str, ordinal: int) -> Row:
        """One row, made directly; `.parent(relation)` and `.children(entity)` lead on from it."""
        return Row(self.runtime, entity, ordinal)

    def samples(self, entity: str, field: str, number: int = 5) -> list[Any]:
        """Values of a field, from generated rows far apart where there are any."""
        plan = self.plan.entity(entity)
        ordinals = range(plan.fixed if plan.generated else 0, plan.total, max(1, plan.generated // number))
        return [self.row(entity, ordinal)[field] for ordinal in ordinals[:number]]

    def find(self, entity: str, *, where: str, limit: int | None = None) -> Iterator[Row]:
        """Rows for which an SQL condition is true, in order; the entity's rows are gone through batch by batch."""
        return self._found(entity, self._condition(entity, where), limit)

    def _condition(self, entity: str, where: str) -> Formula:
        """UsageError where a condition names what is not there, or makes no sense."""
        plan = self.plan.entity(entity)
        try:
            parsed = parse(where)
            for path in parsed.paths:
                if "." not in path and not plan.entity.has(path):
                    raise UsageError(f"{entity} has no field '{path}'", hint=nearest(path, plan.entity.field_names))
            formula = bind(self.plan.world, plan.entity, parsed)
            if not pa.types.is_boolean(arrow := tried_on_nothing(self.plan.world, formula)) and not pa.types.is_null(arrow):
                raise UsageError(f"'{where}' is not a condition")
            return formula
        except NotEvaluableError as error:
            raise UsageError(str(error)) from None

    def _found(self, entity: str, condition: Formula, limit: int | None) -> Iterator[Row]:
        plan, found = self.plan.entities[entity], 0
        for start in range(0, plan.total, BATCH):
            rows = self.runtime.rows(entity, np.arange(start, min(plan.total, start + BATCH), dtype=np.int64))
            for index in np.flatnonzero(condition.truth(rows)).tolist():
                if limit is not None and found >= limit:
                    return
                found += 1
                yield self.row(entity, start + index)

    def digest(self, entity: str, *, workers: int = 1) -> str:
        """The content digest of an entity: the same rows give the same one, wherever they are stored."""
        self.plan.entity(entity)
        runtime = [one for one in self.runtime.stages or [self.runtime] if entity not in one.plan.kept]
        parts = (batches(one, entity, then=block_digest, workers=workers) for one in runtime)
        return joined_digest([entity_digest(blocks) for blocks in parts])

    def write(
        self, into: Any, *, format: str | None = None, on_rows: str | None = None, workers: int = 1,
        progress: Progress | None = None, bytes: str | None = None, only: Mapping[str, Sequence[int] | None] | None = None,
        create: bool = False, confirm: str | None = None, remote: bool = False, wait: float = 10.0, ddl: bool = True,
        run_triggers: bool = False, ledger: bool = False, commit_every: int | None = None,
        connections: int = 1, indexes_last: bool = False,
    ) -> Receipt:  # fmt: skip
        """Write all rows, all or nothing: into a folder (`format`: see `weltigen.stored.format_names`), an SQLite or DuckDB file,
        an SQL script (`format`: its dialect; with its definitions unless `ddl` is False), or a database.

        A database is named by its URL, by `env:NAME`, by an SQLAlchemy engine, or by a connection, in whose transaction the rows
        then are, and which is left open. `create` lets tables be made beside others that are there. `wait`: seconds until a lock
        that somebody else holds ends the run.
        `ledger`: a small table in the database tells of the run, so that rows can be added to its rows, and taken away again.
        `commit_every`: several transactions of about so many rows, each with the ledger; cut off, the same call goes on.
        `connections`: so many load side by side then, into a database on a server.
        `indexes_last`: indexes and constraints of tables that are there are built again behind the rows (PostgreSQL, SQLite).
        In CSV and JSON Lines `bytes` are spelled in "base64", or as "hex".
        `only={"booking": [41]}` writes these rows and all that they refer to; None means all rows of an entity.
        `on_rows`: "append" adds the rows of the last stage to a target that holds those of all stages before it, or rows beside
        those that `World.beside` found; "keep" fills what is empty beside those; "replace" deletes the rows of the world's tables
        first, for which `confirm` gives the database's name, and `remote` says that its server is elsewhere.
        Raises RefusedError where something is there that could be lost, TargetError where writing fails.
        """
        if on_rows is not None and on_rows not in ON_ROWS:
            raise UsageError(f"on_rows is {listed([repr(one) for one in ON_ROWS])} or left out, not '{on_rows}'")
        some = None if only is None else self._only(only, on_rows)
        handling = Handling(
            on_rows=on_rows, create=create, confirm=confirm, remote=remote, wait=wait, run_triggers=run_triggers,
            ledger=ledger or commit_every is not None, connections=connections,
            indexes_last=indexes_last,
        )  # fmt: skip
        target = open_target(into, format, bytes, handling, ddl)
        there = self._there(into) if on_rows == "append" and self._knows_receipts(into) else ()
        if connections != 1 and commit_every is None:
            said = "several connections load in transactions of their own, since none sees what another has not committed"
            raise UsageError(said, hint="--commit-every, commit_every in Python, says how many rows each holds")
        if commit_every is not None:
            if not isinstance(target, DatabaseTarget):
                raise UsageError("transactions are for databases", hint="leave out commit_every")
            if connections != 1 and target.place.one_writer:
                raise UsageError(f"{target.name} takes one connection that writes", hint="leave out --connections")
            if indexes_last:
                raise UsageError("a run that was cut off would leave tables without their indexes",
                                 hint="leave out indexes_last, or commit_every")  # fmt: skip
            if some is not None or self.beside or on_rows == "replace" or not isinstance(into, str | Path):
                raise UsageError(
                    "a run in several transactions fills a database that it opens itself, and that holds no rows but its own",
                    hint="leave out commit_every: one transaction holds all",
                )
            return fill_in_steps(self.plan, target, commit_every, workers=workers, progress=progress, there=there)
        return fill_target(self.plan, target, workers=workers, progress=progress, only=some, there=there)

    def intend(
        self, into: Any, *, format: str | None = None, on_rows: str | None = None, bytes: str | None = None, create: bool = False,
        confirm: str | None = None, remote: bool = False, wait: float = 10.0, ddl: bool = True,
    ) -> Intent:  # fmt: skip
        """What `write` would make, write and delete; nothing is done. Raises what it would raise, but for a missing `confirm`."""
        handling = Handling(on_rows=on_rows, create=create, confirm=confirm, remote=remote, wait=wait)
        there = self._there(into) if on_rows == "append" and self._knows_receipts(into) else ()
        expected = {name: sum(part.rows.get(name, 0) for part in there) for name in self.plan.order} if there else None
        return open_target(into, format, bytes, handling, ddl).intend(self.plan, expected)

    @property
    def beside(self) -> bool:
        """Whether its rows stand beside others that a target holds."""
        return any(entity.there for entity in self.plan.world.entities)

    def _only(self, only: Mapping[str, Sequence[int] | None], on_rows: str | None) -> Only:
        if on_rows is not None or self.plan.stages:
            raise UsageError("some rows alone are written where no others are", hint="leave out on_rows, or only")
        asked, rows = [], {}
        for entity, ordinals in only.items():
            total = self.plan.entity(entity).total
            chosen = np.arange(total, dtype=np.int64) if ordinals is None else np.array(sorted(set(ordinals)), np.int64)
            if chosen.size and not 0 <= int(chosen[0]) <= int(chosen[-1]) < total:
                raise UsageError(f"{entity} has no row {chosen[-1]:,}", hint=f"its ordinals are: 0 to {total - 1:,}")
            rows[entity] = chosen
            asked += [entity] if ordinals is None else [f"{entity}/{ordinal}" for ordinal in chosen.tolist()]
        return Only(tuple(asked), rows)

    def _knows_receipts(self, into: Any) -> bool:
        """Whether rows that a target holds are told by a receipt: in a folder, beside a file that has one, or in a ledger."""
        if self.beside or not isinstance(into, str | Path):
            return False
        if is_url(named_by_environment(str(into))):
            return bool(self.plan.stages) and ledger_of(into) is not None
        return receipt_at(into) is not None or not isinstance(location_of(into), SqliteFile | DuckdbFile)

    def _there(self, into: str | Path) -> tuple[StageReceipt, ...]:
        """What a target's receipt tells of; UsageError where that is not what this dataset's stages before the last made."""
        receipt = receipt_at(into) or ledger_of(into)
        if receipt is None:
            raise UsageError(f"{into} has no receipt that tells what is there", hint="leave out on_rows to write all rows")
        before = [{name: plan.entities[name].total for name in plan.order} for plan in self.plan.stages[:-1]]
        if [part.rows for part in receipt.parts] != before or receipt.seed != self.plan.seed:
            said = f"{into} holds other rows than those before the last stage of this dataset"
            raise RefusedError(said, hint="open_run(target).next_stage(…) goes on from what is there")
        return receipt.parts


def _refuse_none(size: int, workers: int) -> None:
    if size < 1 or workers < 1:
        raise UsageError(f"size and workers are at least 1, not {size} and {workers}")
