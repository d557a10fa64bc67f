"""The map: nothing overlaps, every reference joins its two boxes and passes no other, and the same world is the same file."""

from __future__ import annotations

from collections.abc import Callable
from itertools import combinations
from pathlib import Path
from typing import Any

import pytest

import weltigen
from weltigen.figures import arrange

from ..conftest import FERRY
from ..models import make_model


@pytest.mark.parametrize("seed", [None, 3, 19, 39, 59, 79])
def test_boxes_stand_apart_and_lines_lead_from_one_to_the_other(seed: int | None, tmp_path: Path) -> None:
    if seed is not None:
        (tmp_path / "model.sql").write_text(make_model(seed).sql)
    plan = weltigen.open_world(FERRY if seed is None else tmp_path / "model.sql").plan()
    drawn = arrange(plan)
    assert set(drawn.boxes) == set(plan.order) and len(drawn.lines) + len(drawn.loops) == sum(
        len(e.relations) for e in plan.world.entities
    )
    for one, two in combinations(drawn.boxes.values(), 2):
        apart = (
            one.x + one.width <= two.x or two.x + two.width <= one.x or one.y + one.height <= two.y or two.y + two.height <= one.y
        )
        assert apart, (one.name, two.name)
    for line in drawn.lines:
        target, source = drawn.boxes[line.relation.target], drawn.boxes[line.relation.entity]
        assert line.broken or target.x < source.x  # what must exist first stands to the left
        for box, (x, y) in ((target, line.points[0]), (source, line.points[-1])):
            assert x in (pytest.approx(box.x), pytest.approx(box.x + box.width)) and box.y < y < box.y + box.height
        for (x0, y0), (x1, y1) in zip(line.points, line.points[1:], strict=False):
            if y0 != y1:  # only level stretches pass through columns of boxes
                continue
            for box in drawn.boxes.values():
                crossed = box.y < y0 < box.y + box.height and min(x0, x1) < box.x + box.width and max(x0, x1) > box.x
                assert not crossed or box in (target, source) or box.layer in (target.layer, source.layer), (
                    line.relation.label,
                    box.name,
                )
    ends = [(line.relation.target, *line.points[0]) for line in drawn.lines]
    assert len(set(ends)) == len(ends)  # two references to one entity do not lie over each other


def test_the_map_shows_each_entity_its_key_and_what_a_cycle_is(tmp_path: Path, run: Callable[..., Any]) -> None:
    done = run("picture", FERRY, "-o", tmp_path / "map.svg")
    assert done.code == 0 and "20 entities, 24 references, 1 cycle" in done.out
    svg = (tmp_path / "map.svg").read_text()
    assert all(name in svg for name in weltigen.open_world(FERRY).declared.entity_names) and "key route_id, fare_class" in svg
    run("picture", FERRY, "-o", tmp_path / "again.svg")
    assert (tmp_path / "again.svg").read_text() == svg
    run("picture", FERRY, "-o", tmp_path / "map.png")
    assert (tmp_path / "map.png").read_bytes().startswith(b"\x89PNG")
    drawn = arrange(weltigen.open_world(FERRY).plan())
    by_label = {line.relation.label: line for line in [*drawn.lines, *drawn.loops]}
    assert by_label["port.pilot_vessel_id"].broken and by_label["crew_member.reports_to_id"].optional
    assert not by_label["safety_certificate.vessel_id"].many and by_label["booking.sailing_id"].owner


def test_a_picture_that_cannot_be_made_is_told(tmp_path: Path, run: Callable[..., Any]) -> None:
    assert (run("picture", FERRY, "-o", tmp_path / "map.gif").code, run("picture", FERRY).code) == (2, 2)
    done = run("picture", FERRY, "-o", tmp_path / "nowhere" / "map.png")
    assert done.code == 5 and "no such file" in done.err
