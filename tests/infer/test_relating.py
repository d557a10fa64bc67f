"""What a model says of relationships in its checks and its form: arcs, filters, self references, and what all rows share."""

from __future__ import annotations

from pathlib import Path

import pytest

import weltigen
from weltigen.infer import infer, propose_tenants
from weltigen.readers.sql import read_ddl

ENDS = "".join(
    f"CREATE TABLE {name} (id integer PRIMARY KEY, kind varchar(6) NOT NULL, UNIQUE (id, kind));\n"
    for name in ("buoy", "light", "horn")
)
ARC = "buoy_id integer REFERENCES buoy, light_id integer REFERENCES light, horn_id integer REFERENCES horn"
EXACTLY_ONE = [
    "num_nonnulls(buoy_id, light_id, horn_id) = 1",
    "(buoy_id IS NOT NULL)::int + (light_id IS NOT NULL)::int + (horn_id IS NOT NULL)::int = 1",
    "CASE WHEN buoy_id IS NULL THEN 0 ELSE 1 END + CASE WHEN light_id IS NULL THEN 0 ELSE 1 END + CASE WHEN horn_id IS NULL THEN 0 ELSE 1 END = 1",
    "(buoy_id IS NOT NULL AND light_id IS NULL AND horn_id IS NULL) OR (buoy_id IS NULL AND light_id IS NOT NULL AND horn_id IS NULL)"
    " OR (buoy_id IS NULL AND light_id IS NULL AND horn_id IS NOT NULL)",
]


@pytest.mark.parametrize("check", EXACTLY_ONE, ids=["counted", "added", "by case", "spelled out"])
def test_exactly_one_of_three_references_is_there_however_it_is_spelled(check: str, tmp_path: Path) -> None:
    world = weltigen.read_model(f"{ENDS}CREATE TABLE mark (mark_id integer PRIMARY KEY, {ARC}, CHECK ({check}));")
    dataset = world.dataset(rows={"mark": 900})
    there = dataset.frame("mark")[["buoy_id", "light_id", "horn_id"]].notna()
    assert (there.sum(axis=1) == 1).all() and there.sum().min() > 200
    dataset.write(tmp_path / "marks.sqlite")
    report = weltigen.audit(world, tmp_path / "marks.sqlite")
    assert not report and not report.unchecked


@pytest.mark.parametrize(
    ("check", "sums"),
    [
        ("(buoy_id IS NULL) <> (light_id IS NULL)", {1}),
        ("(buoy_id IS NULL) = (light_id IS NULL)", {0, 2}),
        ("num_nonnulls(buoy_id, light_id) <= 1", {0, 1}),
        ("(buoy_id IS NULL AND light_id IS NULL) OR (buoy_id IS NOT NULL AND light_id IS NULL) OR (buoy_id IS NULL AND light_id IS NOT NULL)", {0, 1}),
    ],
)  # fmt: skip
def test_two_references_are_there_together_or_apart(check: str, sums: set[int]) -> None:
    world = weltigen.read_model(f"{ENDS}CREATE TABLE mark (mark_id integer PRIMARY KEY, {ARC}, CHECK ({check}));")
    frame = world.dataset(rows={"mark": 600}).frame("mark")
    assert set(frame[["buoy_id", "light_id"]].notna().sum(axis=1)) == sums


@pytest.mark.parametrize(
    ("check", "kept"),
    [
        ("buoy_kind = 'bell'", {"bell"}),
        ("buoy_kind IN ('bell', 'whistle')", {"bell", "whistle"}),
        ("buoy_kind <> 'bell' AND buoy_kind <> 'gong'", {"whistle"}),
        ("buoy_id > 10 AND buoy_kind = 'gong'", {"gong"}),
    ],
)
def test_a_check_on_a_references_own_columns_says_which_rows_it_goes_to(check: str, kept: set[str]) -> None:
    kinds = "varchar(8) NOT NULL CHECK (kind IN ('bell', 'whistle', 'gong'))"
    world = weltigen.read_model(
        f"CREATE TABLE buoy (id integer PRIMARY KEY, kind {kinds}, UNIQUE (id, kind));"
        f"CREATE TABLE visit (visit_id integer PRIMARY KEY, buoy_id integer NOT NULL, buoy_kind varchar(8) NOT NULL, CHECK ({check}),"
        " FOREIGN KEY (buoy_id, buoy_kind) REFERENCES buoy (id, kind));"
    )
    dataset = world.dataset(rows={"buoy": 40, "visit": 500})
    visit, buoy = dataset.frame("visit"), dataset.frame("buoy").set_index("id").kind
    assert set(visit.buoy_kind) == kept and (visit.buoy_id.map(buoy) == visit.buoy_kind).all()
    assert "10" not in check or visit.buoy_id.min() > 10


def test_a_row_that_must_not_be_its_own_parent_never_is() -> None:
    world = weltigen.read_model("CREATE TABLE node (id integer PRIMARY KEY, up_id integer REFERENCES node, CHECK (up_id <> id));")
    plan = world.plan()
    assert not plan.notes and plan.entities["node"].entity.checks[0].met_by
    frame = world.dataset(rows={"node": 300}).frame("node").dropna()
    assert (frame.up_id < frame.id).all()


@pytest.mark.parametrize(
    ("sql", "proposed"),
    [
        ("hall {r} guild, keeper {r} guild, duty {r} hall {r} keeper, task {r} duty {r} keeper", [("guild", 2)]),
        ("hall {r} guild, keeper {r} guild {r} guild, duty {r} hall {r} keeper", []),  # two ways that are meant to differ
        (
            "hall {r} port, keeper {r} port, duty {r} hall {r} keeper",
            [],
        ),  # two entities are no large share, and it is not an owner by name
        ("a {r} port, b {r} port, c {r} port, d {r} a {r} b {r} c, e {r} d {r} a", [("port", 2)]),
    ],
)
def test_what_every_way_should_share_is_proposed_only_where_that_is_likely(sql: str, proposed: list[tuple[str, int]]) -> None:
    tables = "CREATE TABLE guild (id integer PRIMARY KEY); CREATE TABLE port (id integer PRIMARY KEY);"
    for part in sql.replace("{r}", ">").split(", "):
        name, *targets = part.split(" > ")
        columns = "".join(f", {target}_{n}_id integer NOT NULL REFERENCES {target}" for n, target in enumerate(targets))
        tables += f"CREATE TABLE {name} (id integer PRIMARY KEY{columns});"
    assert propose_tenants(infer(read_ddl(tables, "model.sql", None))) == proposed


ACTING = """
CREATE TABLE users (id uuid PRIMARY KEY, email text NOT NULL, created_by uuid);
CREATE TABLE harbour (id integer PRIMARY KEY, owner_uuid uuid NOT NULL, created_by uuid NOT NULL, updated_by uuid, sorted_by text);
"""


def test_who_did_it_is_somebody_where_only_one_entity_can_be_meant(tmp_path: Path) -> None:
    found = {(r.entity, *r.columns, r.target) for e in weltigen.read_model(ACTING).declared.entities for r in e.relations}
    wanted = {("harbour", name, "users") for name in ("owner_uuid", "created_by", "updated_by")} | {
        ("users", "created_by", "users")
    }
    assert found == wanted
    both = ACTING.replace("users", "member") + "CREATE TABLE pilot (id uuid PRIMARY KEY, name text);"
    assert not any(entity.relations for entity in weltigen.read_model(both).declared.entities)


def test_a_column_may_leave_out_the_part_of_the_application_that_an_entity_is_of() -> None:
    world = weltigen.read_model(
        "create table auth_member (id int primary key); create table auth_group (id int primary key);"
        "create table fleet_vessel (id int primary key, vessel_id int not null);"
        "create table fleet_group (id int primary key);"
        "create table crew_watch_log (id int primary key, member_id int not null, group_id int, vessel_id int);"
        "create table crew_rota (id int primary key, watch_log_id int not null);"
        "create table fleet_note (id int primary key, group_id int not null)"
    )
    found = {(r.entity, r.columns[0]): r.target for e in world.entities for r in e.relations}
    assert found == {
        ("crew_watch_log", "member_id"): "auth_member",
        ("crew_watch_log", "vessel_id"): "fleet_vessel",
        ("crew_rota", "watch_log_id"): "crew_watch_log",
        ("fleet_note", "group_id"): "fleet_group",  # of two, the one of its own part; a crew's could be of either
    }


@pytest.mark.parametrize(
    ("rule", "said"),
    [("owner: {on_delete: set null}", "must not be null"), ("owner: {on_delete: drop}", "nothing that a delete does"), ("owner: {on_delete: cascade}", "")],
)  # fmt: skip
def test_a_world_file_says_what_a_delete_does(rule: str, said: str, tmp_path: Path) -> None:
    (tmp_path / "model.sql").write_text(ACTING)
    (tmp_path / "world.yaml").write_text(f"weltigen: 3\nmodel: model.sql\nentities:\n  harbour: {{references: {{{rule}}}}}\n")
    if said:
        with pytest.raises(weltigen.WeltigenError, match=said):
            weltigen.open_world(tmp_path / "world.yaml")
        return
    weltigen.open_world(tmp_path / "world.yaml").dataset().write(tmp_path / "out.sqlite")
    again = weltigen.read_model(tmp_path / "out.sqlite").declared.entity("harbour")
    assert [str(relation.on_delete) for relation in again.relations] == ["cascade", "no action", "no action"]
