"""What a database accepts is filled, whatever we could not know of it; and what of it is doubtful is told."""

from __future__ import annotations

from pathlib import Path

import pytest

import weltigen

ACCEPTED = {
    "an index is enough for a reference": (
        "mysql", "CREATE TABLE quay (id int PRIMARY KEY, code int NOT NULL CHECK (code IN (1, 2, 3)), KEY k (code));"
        "CREATE TABLE boat (id int PRIMARY KEY, quay_code int NOT NULL UNIQUE, FOREIGN KEY (quay_code) REFERENCES quay (code));",
        "boat.quay_code refers to quay (code), which is not unique",
    ),
    "a check says what a type holds": (
        "postgresql", "CREATE TABLE quay (id int PRIMARY KEY, a my_money CHECK (a >= 0.5), b iso_day CHECK (b > '2024-02-03'),"
        " c upper_code NOT NULL CHECK (c = upper(c)), d clock CHECK (d < '10:30'));", "taken for numeric(18,1), as its check says",
    ),
    "any word is a type": (
        "sqlite", "CREATE TABLE quay (id int PRIMARY KEY, built MOMENTUM CHECK (built >= '2024-01-01 10:00:00'),"
        ' lo BAR CHECK (length(lo) = 4), kind FOO CHECK (kind IN ("x", \'y\')), CHECK (quay.id > 0));', "",
    ),
    "char is filled up": ("postgresql", "CREATE TABLE quay (id int, iso char(3) NOT NULL CHECK (iso NOT LIKE '% %'));", ""),
    "a boolean is a number": ("mysql", "CREATE TABLE quay (id int PRIMARY KEY, hidden boolean NOT NULL CHECK (hidden <> 1));", ""),
    "more than 64 bits": (
        "mysql", "CREATE TABLE mask (bits bigint unsigned NOT NULL UNIQUE, h numeric(30,2) CHECK (h BETWEEN 123456789012345678901234 AND 923456789012345678901234));"
        "INSERT INTO mask VALUES (18446744073709551615, NULL), (1, NULL);"
        "CREATE TABLE crew (id int PRIMARY KEY, mask_bits bigint unsigned NOT NULL REFERENCES mask (bits));", "",
    ),
    "two orders make one row": (
        "sqlite", "CREATE TABLE pier (id integer PRIMARY KEY); CREATE TABLE hop (id integer PRIMARY KEY, a_id integer NOT NULL"
        " REFERENCES pier, b_id integer NOT NULL REFERENCES pier, CHECK (a_id <= b_id), CHECK (b_id <= a_id));", "",
    ),
    "what has no room is null": (
        "sqlite", "CREATE TABLE pier (id integer PRIMARY KEY, top integer NOT NULL, low integer CHECK (low % 2 = 1),"
        " CHECK (low <= id), CHECK (low > top));", "",
    ),
}  # fmt: skip


@pytest.mark.parametrize("name", ACCEPTED)
def test_what_a_database_accepts_is_filled(name: str, tmp_path: Path) -> None:
    dialect, sql, told = ACCEPTED[name]
    world = weltigen.read_model(sql, dialect=dialect)
    dataset = world.dataset(rows={"mask": 20} if "mask" in sql else None)
    assert all(dataset.counts.values())
    notes = [*map(str, world.notices), *dataset.plan.notes]
    assert any(told in note for note in notes) if told else not notes
    for target in (tmp_path / "out", tmp_path / "out.sqlite"):
        dataset.write(target)
        report = weltigen.audit(world, target)
        assert (list(map(str, report)), report.unchecked) == ([], ())
