"""What `fill` says of a target where rows are: what it would do, what it filled there, what it took away again."""

from __future__ import annotations

from ..api.world import World
from ..model.problems import UsageError
from ..targets import Intent
from ..targets.script import is_script
from .show import columns, dim, good, out, out_json, strong, warn


def complete_fields(
    world: World, into: str, only: tuple[str, ...], script: str | None, seed: int | None, now: str | None, wait: float,
    dry_run: bool, json_: bool,
) -> None:  # fmt: skip
    from ..api.completing import complete

    if not only:
        raise UsageError("--on-rows complete fills named fields", hint="name them: --only ENTITY.FIELD")
    done = complete(world, into, only, seed=seed, now=now, wait=wait, dry_run=dry_run, script=script)
    if json_:
        out_json({"target": done.target, "completed": dict(done.rows), "dry_run": dry_run})
        return
    printed = columns([["field", "rows"], *([name, f"{rows:,}"] for name, rows in done.rows.items())], right=(1,))
    out("\n".join([dim(printed[0]), *printed[1:]]))
    what = (
        "would be filled where they are null" if dry_run else f"UPDATE statements in {script}" if script else "filled where null"
    )
    out(f"{done.target}: {what}" if dry_run else good(f"{done.target}: {what}"))


def withdraw_rows(into: str, receipt: str | None, wait: float, dry_run: bool, json_: bool) -> None:
    from ..api.withdrawing import withdraw

    done = withdraw(into, receipt=receipt, wait=wait, dry_run=dry_run)
    if json_:
        out_json({"target": done.target, "withdrawn": dict(done.rows), "dry_run": dry_run})
        return
    lines = [["entity", "rows"], *([name, f"{rows:,}"] for name, rows in done.rows.items() if rows)]
    printed = columns([*lines, ["", f"{sum(done.rows.values()):,}"]], right=(1,))
    out("\n".join([dim(printed[0]), *printed[1:]]))
    out(f"{done.target}: these would be taken away" if dry_run else good(f"{done.target}: rows of one run taken away"))


def show_intent(intent: Intent, into: str, json_: bool) -> None:
    """What a run would do."""
    if json_:
        out_json({"target": intent.target, "creates": list(intent.creates), "writes": dict(intent.writes),
                  "deletes": dict(intent.deletes), "notes": list(intent.notes)})  # fmt: skip
        return
    out(f"{strong(intent.target)} · a dry run; nothing is done")
    created = set(intent.creates)
    lines = [["entity", "table", "rows deleted", "rows written"]]
    for name, rows in intent.writes.items():
        table_ = "made" if name in created else "" if len(created) else "there"
        lines.append([name, table_, f"{intent.deletes.get(name, 0):,}" if intent.deletes else "", f"{rows:,}"])
    total, gone = sum(intent.writes.values()), sum(intent.deletes.values())
    lines.append(["", "", f"{gone:,}" if gone else "", f"{total:,}"])
    kept = [0, *([1] if not is_script(into) and created <= set(intent.writes) else []), *([2] if gone else []), 3]
    printed = columns([[line[at] for at in kept] for line in lines], right=tuple(range(len(kept) - 1 - bool(gone), len(kept))))
    out("\n".join([dim(printed[0]), *printed[1:]]))
    for text in intent.creates if not created <= set(intent.writes) else ():
        out(f"would make {text}")
    for note in intent.notes:
        out(warn(f" ! {note}"))
