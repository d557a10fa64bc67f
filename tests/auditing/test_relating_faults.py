"""The audit finds each breach of what references were asked to do, and nothing else."""

from __future__ import annotations

import shutil
import sqlite3
from pathlib import Path

import pytest

import weltigen

from ..guild import SQL, YAML

OTHER = "(SELECT keeper_id FROM keeper WHERE guild_id <> (SELECT guild_id FROM hall WHERE hall_id = {}.hall_id) LIMIT 1)"
FAULTS = [
    (f"UPDATE duty SET deputy_id = {OTHER.format('duty')} WHERE duty_id = 7", "duty", "hall.guild and deputy.guild lead to the same guild", 1),
    ("UPDATE guild SET speaker_id = (SELECT keeper_id FROM keeper k WHERE k.guild_id <> guild.guild_id LIMIT 1) WHERE guild_id = 3",
     "guild", "the row itself and speaker.guild lead to the same guild", 1),
    ("UPDATE hall SET opened_on = NULL WHERE hall_id = (SELECT hall_id FROM duty WHERE duty_id = 5)", "duty", "hall refers only to hall rows where", None),
    ("DELETE FROM gauge WHERE hall_id = 4 AND at < '2025-01-02'", "gauge", "124 rows for each hall", 1),
    ("DELETE FROM allowance WHERE hall_id = 9 AND grade_id = 2", "allowance", "one row for each hall and grade", 1),
    ("DELETE FROM feast WHERE sponsor_id = (SELECT max(sponsor_id) FROM feast) AND feast_id NOT IN"
     " (SELECT min(feast_id) FROM feast GROUP BY sponsor_id)", "feast", "2 to 30 rows for each grade", None),
    ("UPDATE piece SET whole_id = piece_id + 1 WHERE piece_id IN (SELECT a.piece_id FROM piece a JOIN piece b ON b.whole_id = a.piece_id LIMIT 1)",
     "piece", "at most 4 levels by whole", None),
]  # fmt: skip


@pytest.fixture(scope="module")
def filled(tmp_path_factory: pytest.TempPathFactory) -> tuple[weltigen.World, Path]:
    folder = tmp_path_factory.mktemp("guild")
    (folder / "guild.sql").write_text(SQL)
    (folder / "guild.yaml").write_text(YAML)
    world = weltigen.open_world(folder / "guild.yaml")
    world.dataset().write(folder / "guild.sqlite")
    world.dataset().write(folder / "tables")
    return world, folder


def test_what_was_filled_keeps_every_rule_wherever_it_lies(filled: tuple[weltigen.World, Path]) -> None:
    world, folder = filled
    for store in ("guild.sqlite", "tables"):
        report = weltigen.audit(world, folder / store)
        assert (list(map(str, report)), report.unchecked) == ([], ()), store
        assert report.rules > 110


@pytest.mark.parametrize(("sql", "entity", "rule", "rows"), FAULTS, ids=[rule for _, _, rule, _ in FAULTS])
def test_a_breach_is_found(
    filled: tuple[weltigen.World, Path], tmp_path: Path, sql: str, entity: str, rule: str, rows: int | None
) -> None:
    world, folder = filled
    shutil.copy(folder / "guild.sqlite", tmp_path / "guild.sqlite")
    with sqlite3.connect(tmp_path / "guild.sqlite") as connection:
        assert connection.execute(sql).rowcount > 0
    connection.close()
    found = [
        finding
        for finding in weltigen.audit(world, tmp_path / "guild.sqlite")
        if finding.entity == entity and rule in finding.rule
    ]
    assert len(found) == 1 and found[0].rows == (rows or found[0].rows) and found[0].examples
