"""What somebody allows a run to do with a target where something is there."""

from __future__ import annotations

from dataclasses import dataclass

ON_ROWS = ("keep", "append", "replace")
COMPLETE = "complete"  # fields that are null in rows that are there are filled
WITHDRAW = "withdraw"  # rows of an earlier run go, and none are written


@dataclass(frozen=True, slots=True, kw_only=True)
class Handling:
    """`on_rows`: what becomes of rows that are there; None: with any, nothing is written. `create`: tables may be created beside
    others. `confirm`: the name of the database whose rows may be deleted; `remote`: also where its server is not this machine.
    `wait`: seconds until a lock that somebody else holds ends the run. `run_triggers`: triggers run on the rows; else they rest
    where the database allows it. `ledger`: a table there tells of the run. `connections`: how many load rows side by side.
    `indexes_last`: indexes and constraints of tables that are there go, and are built again, by the database, behind the rows."""

    on_rows: str | None = None
    create: bool = False
    confirm: str | None = None
    remote: bool = False
    wait: float = 10.0
    run_triggers: bool = False
    ledger: bool = False
    connections: int = 1
    indexes_last: bool = False


ASKED_NOTHING = Handling()
