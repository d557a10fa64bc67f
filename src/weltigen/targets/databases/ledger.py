"""The ledger: a small table in a database that tells which runs wrote which rows. It is made only when it is asked for."""

from __future__ import annotations

import json
import zlib
from base64 import b64decode, b64encode
from dataclasses import dataclass, field, replace
from hashlib import blake2b

from ...model import Entity
from ...plan import Plan
from ...readers.world_json import world_to_json
from ...stored.names import LEDGER
from ...stored.receipts import Receipt
from .place import Place

_HEAD = ""  # the entity of the row that tells of a run as a whole


@dataclass(frozen=True, slots=True)
class Block:
    """Rows of an entity that are committed: from its row `first` on, with their digest."""

    first: int
    rows: int
    digest: bytes


@dataclass(slots=True)
class Run:
    """What the ledger holds of one run; `receipt` tells how it was begun where it is not `done`."""

    number: int
    name: str
    receipt: Receipt
    done: bool
    blocks: dict[str, list[Block]] = field(default_factory=dict)

    def rows(self, entity: str) -> int:
        return sum(block.rows for block in self.blocks.get(entity, ()))


def run_name(plan: Plan) -> str:
    """By what a run is known: the same command over the same model has the same name."""
    stage = plan.stages[-1] if plan.stages else plan
    world = replace(plan.world, entities=tuple(_without_their_rows(entity) for entity in plan.world.entities))
    told = {
        "world": world_to_json(world), "seed": plan.seed, "now": plan.now.isoformat(), "stage": stage.stage,
        "asked": dict(stage.asked), "times": stage.times, "set": dict(stage.overrides),
    }  # fmt: skip
    return blake2b(json.dumps(told, sort_keys=True).encode(), digest_size=12).hexdigest()


def _without_their_rows(entity: Entity) -> Entity:
    return replace(entity, fixed=entity.fixed[entity.there :], there=0, held=None)


class Ledger:
    """The table in one place, within the transaction that is open there."""

    def __init__(self, place: Place) -> None:
        self.place, self.table = place, place.quoted(LEDGER)

    def exists(self) -> bool:
        return self.place.has_table(LEDGER)

    def create(self) -> None:
        """Where definitions end a transaction this does too."""
        text = "longtext" if self.place.dialect == "mysql" else "text"
        self.place.make_ledger(
            f"CREATE TABLE {self.table} (run varchar(40) NOT NULL, number bigint NOT NULL, entity varchar(250) NOT NULL,"
            f" first_row bigint NOT NULL, row_count bigint NOT NULL, digest varchar(64) NOT NULL, told {text},"
            " PRIMARY KEY (run, number, entity, first_row))"
        )

    def runs(self) -> list[Run]:
        """All runs, the first one first."""
        if not self.exists():
            return []
        rows = self.place.query(f"SELECT run, number, entity, first_row, row_count, digest, told FROM {self.table}")
        runs: dict[int, Run] = {}
        for name, number, entity, _, count, _, told in rows:
            if entity == _HEAD:
                runs[number] = Run(number, name, _unpacked(told), bool(count))
        for _, number, entity, first, count, digest, _ in rows:
            if entity != _HEAD and number in runs:
                runs[number].blocks.setdefault(entity, []).append(Block(int(first), int(count), bytes.fromhex(digest)))
        for run in runs.values():
            for blocks in run.blocks.values():
                blocks.sort(key=lambda block: block.first)
        return [runs[number] for number in sorted(runs)]

    def begin(self, plan: Plan, runs: list[Run], receipt: Receipt) -> Run:
        run = Run(max((one.number for one in runs), default=0) + 1, run_name(plan), receipt, done=False)
        self._insert(run, _HEAD, Block(0, 0, b""), receipt)
        return run

    def add(self, run: Run, entity: str, block: Block) -> None:
        self._insert(run, entity, block, None)
        run.blocks.setdefault(entity, []).append(block)

    def finish(self, run: Run, receipt: Receipt) -> None:
        told = f"told = '{_packed(receipt)}', row_count = 1"
        self.place.run(f"UPDATE {self.table} SET {told} WHERE number = {run.number} AND entity = '{_HEAD}'")

    def forget(self, run: Run) -> None:
        self.place.run(f"DELETE FROM {self.table} WHERE number = {run.number}")

    def _insert(self, run: Run, entity: str, block: Block, receipt: Receipt | None) -> None:
        quoted = entity.replace("'", "''")
        quoted = quoted.replace("\\", "\\\\") if self.place.dialect == "mysql" else quoted
        told = _packed(receipt) if receipt is not None else ""
        self.place.run(
            f"INSERT INTO {self.table} (run, number, entity, first_row, row_count, digest, told) VALUES"
            f" ('{run.name}', {run.number}, '{quoted}', {block.first}, {block.rows}, '{block.digest.hex()}', '{told}')"
        )


def _packed(receipt: Receipt) -> str:
    return b64encode(zlib.compress(receipt.to_json().encode(), 9)).decode()


def _unpacked(told: str) -> Receipt:
    return Receipt.read(zlib.decompress(b64decode(told)).decode())
