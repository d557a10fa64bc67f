"""Keys that count up: from where, in which steps, with which numbers left out; within what is declared, past what is given."""

from __future__ import annotations

from pathlib import Path

import pytest

import weltigen

SQL = """
CREATE TABLE quay (id integer PRIMARY KEY, code smallint NOT NULL CHECK (code > 0), name varchar(20) NOT NULL);
CREATE TABLE boat (id bigint PRIMARY KEY CHECK (id BETWEEN 1000 AND 9999 AND id % 3 = 0), quay_id integer NOT NULL REFERENCES quay);
"""
YAML = """weltigen: 3
model: model.sql
entities:
  quay: {rows: 900, fields: {id: {start: 5000, gaps: 20%}, code: {start: 7}}, fixed: [{id: 3, name: Old Quay}, {id: 5100, name: New Quay}]}
  boat: {rows: 300, fields: {id: {start: 2000, gaps: 10%}}}
"""


def written(folder: Path, yaml: str) -> weltigen.World:
    (folder / "model.sql").write_text(SQL)
    (folder / "world.yaml").write_text(yaml)
    return weltigen.open_world(folder / "world.yaml")


def test_keys_begin_where_they_are_told_and_leave_out_their_share(tmp_path: Path) -> None:
    world = written(tmp_path, YAML)
    dataset = world.dataset()
    quays, boats = dataset.table("quay"), dataset.table("boat")
    ids, codes = quays["id"].to_pylist()[2:], quays["code"].to_pylist()
    assert ids == sorted(set(ids)) and ids[0] > 5100 and abs(900 / (ids[-1] - 5100) - 0.8) < 0.02
    assert codes == list(range(7, 909))
    numbers = boats["id"].to_pylist()
    assert numbers[0] >= 2000 and all(number % 3 == 0 for number in numbers) and numbers == sorted(set(numbers))
    assert set(boats["quay_id"].to_pylist()) <= set(quays["id"].to_pylist())
    both = dataset.next_stage(times=1)
    both.write(tmp_path / "out")
    assert not list(weltigen.audit(world, tmp_path / "out"))
    later = both.table("quay")["id"].to_pylist()
    assert later[2:902] == ids and later[902] > ids[-1] and later[902:] == sorted(set(later[902:]))


@pytest.mark.parametrize(
    ("field", "said"),
    [
        ("quay_id: {start: 5}", "refers to quay"),
        ("id: {start: 100}", "lies outside of its limits"),
        ("id: {gaps: 95%}", "at most 90%"),
        ("id: {start: 9990}", "only 4 numbers"),
    ],
)
def test_a_start_that_cannot_be_is_told(field: str, said: str, tmp_path: Path) -> None:
    with pytest.raises(weltigen.WeltigenError, match=said):
        written(tmp_path, f"weltigen: 3\nmodel: model.sql\nentities:\n  boat: {{rows: 30, fields: {{{field}}}}}\n").dataset()
