"""A maker of models: small, random, valid by construction, with the shapes of relationship and rule that plans know.

Rows are few, but every unique rule is made tight now and then, so that a layout which wastes its space fails.
"""

from __future__ import annotations

from collections.abc import Callable
from random import Random

from .model_parts import Made, Table, called, reference
from .near_shapes import near
from .relating_shapes import SHAPES
from .rule_shapes import add_rules

LATER: tuple[Callable[[Random, list[Table]], None], ...] = (near,)  # shapes of tables that came later, one line each
PLAIN = {
    "integer": ("count_{i}", ["", " CHECK ({c} BETWEEN 3 AND 40)", " CHECK ({c} > -5)"]),
    "numeric(7, 2)": ("amount_{i}", ["", " CHECK ({c} >= 0.5 AND {c} < 90)"]),
    "varchar(30)": ("note_{i}", ["", " CHECK (length({c}) >= 6)"]),
    "varchar(9)": ("state_{i}", [" CHECK ({c} IN ('open', 'shut', 'lost'))"]),
    "date": ("day_{i}", ["", " CHECK ({c} >= '2024-03-01')"]),
    "timestamp": ("moment_{i}", [""]),
    "timestamptz": ("instant_{i}", [""]),
    "boolean": ("flag_{i}", [""]),
    "real": ("ratio_{i}", [""]),
    "time": ("hour_{i}", [""]),
    "char(6)": ("tag_{i}", ["", " CHECK ({c} ~ '^[A-Z]{{3}}[0-9]{{3}}$')"]),
}


def make_model(seed: int) -> Made:
    """Two models of one seed are the same."""
    chance = Random(seed)
    tables: list[Table] = []
    for number in range(chance.randint(10, 40) if seed % 10 == 9 else chance.randint(3, 7)):
        tables.append(_table(chance, f"t{number}", tables))
    late, special = _cycle(chance, tables), add_rules(chance, tables)
    for add in LATER:  # dice of their own: what a seed made before stays
        add(Random(f"{seed} {add.__name__}"), tables)
    rules = ("PRIMARY KEY", "UNIQUE", "FOREIGN KEY", "CHECK")
    sql = "".join(
        f"CREATE TABLE {table.name} (\n  "
        + ",\n  ".join(sorted(table.columns, key=lambda part: part.startswith(rules)))  # SQLite wants the columns first
        + "\n);\n"
        for table in tables
    )
    yaml = "weltigen: 3\nmodel: model.sql\nwindow: [2024-01-01, 2024-12-31]\nentities:\n"
    for table in tables:
        yaml += f"  {table.name}:\n" + "".join(f"    {wish}\n" for wish in table.wishes)
        if table.fields:
            yaml += "    fields:\n" + "".join(f"      {wish}\n" for wish in table.fields)
    return Made(sql + late, yaml, [table.name for table in tables], special)


_HARD = ("ring", "sharing", "cutting", "mixed", "rooted")  # what is worked out beforehand


def _table(chance: Random, name: str, before: list[Table]) -> Table:
    before = [table for table in before if table.rows]
    shape = (
        chance.choice(["root", "child", "owned", "weak", "weak", "link", "twin", "pair", "tree", "crossed", *_HARD])
        if before
        else "root"
    )
    owner = chance.choice(before) if before else None
    composite = [table for table in before if len(table.key) > 1]
    if shape in ("sharing", "cutting"):
        owner = chance.choice(composite) if composite else owner
        shape = shape if composite else "ring"
    if shape in ("link", "pair") and owner is not None and owner.rows < 4:
        shape = "child"
    table = Table(name, _key(chance), chance.randint(1, 60))
    wished = chance.choice(SHAPES) if owner is not None and chance.random() < 0.45 else None
    if wished is None or owner is None or not wished(chance, table, owner, before):
        getattr(_Shapes, shape)(chance, table, owner, before)
    if not any(c.startswith("PRIMARY KEY") for c in table.columns):
        table.columns.insert(0, f"{table.key[0][0]} {table.key[0][1]} PRIMARY KEY")
    _plain_columns(chance, table)
    return table


def _key(chance: Random) -> list[tuple[str, str]]:
    return [("id", chance.choice(["integer", "bigint", "uuid", "integer", "varchar(14)", "numeric(12, 2)"]))]


class _Shapes:
    """One function for each shape of relationship."""

    @staticmethod
    def root(chance: Random, table: Table, owner: Table | None, before: list[Table]) -> None:
        table.wishes.append(f"rows: {table.rows}")
        table.exact = True
        if chance.random() < 0.5:
            table.columns.append("name varchar(40) NOT NULL UNIQUE")
        if chance.random() < 0.4:
            table.columns += ["given_name varchar(30) NOT NULL", "family_name varchar(30) NOT NULL", "email varchar(80) UNIQUE"]

    @staticmethod
    def child(chance: Random, table: Table, owner: Table | None, before: list[Table]) -> None:
        assert owner is not None
        names = reference(table, owner, "up", chance.choice(["NOT NULL", ""]))
        table.wishes.append(f"rows: {table.rows}")
        if chance.random() < 0.5:
            other = chance.choice(before)
            reference(table, other, "also", "")
            if len(names) == 1:
                favour = chance.choice(["even", "{few: 10%, take: 70%}"])
                table.wishes.append(f"references: {{{called(names, owner)}: {{favour: {favour}}}}}")

    @staticmethod
    def owned(chance: Random, table: Table, owner: Table | None, before: list[Table]) -> None:
        assert owner is not None
        names = reference(table, owner, "up")
        most = chance.randint(1, 6)
        if chance.random() < 0.5:
            space = most if chance.random() < 0.5 else most + 5
            table.columns += [
                f"place smallint NOT NULL CHECK (place BETWEEN 1 AND {space})",
                f"UNIQUE ({', '.join(names)}, place)",
            ]
        per = called(names, owner)
        least, none = chance.choice([(0, "0%"), (1, "0%"), (1, "30%")])
        table.wishes.append(f"rows: {{per: {per}, most: {most}, least: {least}, none: {none}}}")
        table.rows = owner.rows if (least, none) == (1, "0%") else 0
        table.each = owner if table.rows else None

    @staticmethod
    def weak(chance: Random, table: Table, owner: Table | None, before: list[Table]) -> None:
        """The owner's key and a number make the key."""
        assert owner is not None
        names = reference(table, owner, "of")
        table.columns += ["part smallint NOT NULL CHECK (part BETWEEN 1 AND 12)", f"PRIMARY KEY ({', '.join(names)}, part)"]
        per = called(names, owner)
        table.rows = min(table.rows, owner.rows * 12)
        if chance.random() < 0.5:
            table.rows = owner.rows
            table.wishes.append(f"rows: {{per: {per}, mean: 2, least: 1, most: 5}}")
        else:
            table.wishes.append(f"rows: {table.rows}")
        table.key = [*((f"of_{name}", kind) for name, kind in owner.key), ("part", "smallint")]

    @staticmethod
    def crossed(chance: Random, table: Table, owner: Table | None, before: list[Table]) -> None:
        """Two rules that share a reference, and a third of three columns."""
        assert owner is not None
        names = reference(table, owner, "by")
        space = chance.randint(2, 6)
        for column in ("shelf", "hook"):
            table.columns += [
                f"{column} smallint NOT NULL CHECK ({column} BETWEEN 1 AND {space})",
                f"UNIQUE ({', '.join(names)}, {column})",
            ]
        if chance.random() < 0.5:
            table.columns += ["side boolean NOT NULL", "turn smallint NOT NULL CHECK (turn BETWEEN 1 AND 9)", "lot smallint NOT NULL",
                              "UNIQUE (side, turn, lot)"]  # fmt: skip
        table.rows = min(table.rows, owner.rows * space)
        owned = f"rows: {{per: {called(names, owner)}, least: 1, most: {space}}}"
        table.wishes.append(owned if chance.random() < 0.5 else f"rows: {table.rows}")
        table.rows = owner.rows if table.wishes[-1] == owned else table.rows

    @staticmethod
    def link(chance: Random, table: Table, owner: Table | None, before: list[Table]) -> None:
        """Each pair once."""
        assert owner is not None
        other = chance.choice(before)
        names = reference(table, owner, "one") + reference(table, other, "two")
        table.columns.append(f"{chance.choice(['UNIQUE', 'PRIMARY KEY'])} ({', '.join(names)})")
        if table.columns[-1].startswith("PRIMARY"):
            table.key = [*((f"one_{n}", k) for n, k in owner.key), *((f"two_{n}", k) for n, k in other.key)]
        table.rows = max(1, min(60, owner.rows * other.rows if chance.random() < 0.3 else owner.rows * other.rows // 2))
        table.wishes.append(f"rows: {table.rows}")

    @staticmethod
    def twin(chance: Random, table: Table, owner: Table | None, before: list[Table]) -> None:
        """At most one for each owner: by a unique reference, or by a key that is one."""
        assert owner is not None
        names = reference(table, owner, "of")
        half = chance.random() < 0.5
        table.rows = max(1, owner.rows // 2) if half else owner.rows
        counted = f'count("{owner.name}")'
        table.wishes.append(f"rows: greatest(1, {counted} / 2)" if half else f"rows: {counted}")
        if chance.random() < 0.5:
            table.columns.append(f"PRIMARY KEY ({', '.join(names)})")
            table.key = [(f"of_{name}", kind) for name, kind in owner.key]
        else:
            table.columns.append(f"UNIQUE ({', '.join(names)})")

    @staticmethod
    def pair(chance: Random, table: Table, owner: Table | None, before: list[Table]) -> None:
        """Two references to one target that must differ; often each such pair once."""
        assert owner is not None
        one, two = reference(table, owner, "source"), reference(table, owner, "goal")
        if len(one) == 1:
            table.columns.append(f"CHECK ({one[0]} <> {two[0]})")
        if chance.random() < 0.6:
            table.columns.append(f"UNIQUE ({', '.join(one + two)})")
            table.rows = min(table.rows, owner.rows * (owner.rows - 1))
        table.wishes.append(f"rows: {table.rows}")

    @staticmethod
    def tree(chance: Random, table: Table, owner: Table | None, before: list[Table]) -> None:
        reference(table, table, "above", "")
        table.wishes.append(f"rows: {table.rows}")

    @staticmethod
    def rooted(chance: Random, table: Table, owner: Table | None, before: list[Table]) -> None:
        """A tree whose root must refer to itself."""
        reference(table, table, "above", "NOT NULL")
        table.wishes.append(f"rows: {table.rows}")

    @staticmethod
    def ring(chance: Random, table: Table, owner: Table | None, before: list[Table]) -> None:
        """Three rules, each of two columns, that overlap in a ring."""
        space = chance.randint(3, 9)
        table.columns += [
            f"{column} smallint NOT NULL CHECK ({column} BETWEEN 1 AND {space})" for column in ("bow", "mid", "aft")
        ]
        table.columns += ["UNIQUE (bow, mid)", "UNIQUE (mid, aft)", "UNIQUE (aft, bow)"]
        table.rows = min(table.rows, space * space // 3)
        table.wishes.append(f"rows: {table.rows}")

    @staticmethod
    def sharing(chance: Random, table: Table, owner: Table | None, before: list[Table]) -> None:
        """Two references that share a column, on which they must agree."""
        assert owner is not None
        shared, *rest = owner.key
        tail = chance.choice(["", " NOT NULL"])
        table.columns.append(f"joint {shared[1]} NOT NULL")
        for prefix, optional in (("left", " NOT NULL"), ("right", tail)):
            own = [f"{prefix}_{name}" for name, _ in rest]
            table.columns += [f"{column} {kind}{optional}" for column, (_, kind) in zip(own, rest, strict=True)]
            keys = ", ".join(name for name, _ in owner.key)
            table.columns.append(f"FOREIGN KEY (joint, {', '.join(own)}) REFERENCES {owner.name} ({keys})")
        if chance.random() < 0.5:
            table.columns += ["turn smallint NOT NULL CHECK (turn BETWEEN 1 AND 90)", "UNIQUE (joint, turn)"]
        table.wishes.append(f"rows: {table.rows}")

    @staticmethod
    def cutting(chance: Random, table: Table, owner: Table | None, before: list[Table]) -> None:
        """A rule that holds a part of a composite reference."""
        assert owner is not None
        names = reference(table, owner, "at")
        table.columns += ["turn smallint NOT NULL CHECK (turn BETWEEN 1 AND 90)", f"UNIQUE ({names[0]}, turn)"]
        if chance.random() < 0.4:
            table.wishes.append(f"rows: {{per: {owner.name}, least: 1, most: 3}}")
            table.rows = owner.rows
        else:
            table.wishes.append(f"rows: {table.rows}")

    @staticmethod
    def mixed(chance: Random, table: Table, owner: Table | None, before: list[Table]) -> None:
        """Fixed rows beside generated ones under a rule of several columns."""
        assert owner is not None
        names = reference(table, owner, "by")
        table.columns += ["berth smallint NOT NULL CHECK (berth BETWEEN 1 AND 9)", f"UNIQUE ({', '.join(names)}, berth)"]
        table.rows = min(table.rows, max(1, owner.rows * 4))
        table.wishes += [f"rows: {table.rows}", "fixed: [{berth: 3}, {berth: 9}]"]


def _plain_columns(chance: Random, table: Table) -> None:
    for i in range(chance.randint(1, 5)):
        kind = chance.choice(list(PLAIN))
        named, checks = PLAIN[kind]
        column = named.format(i=i)
        tail = chance.choice(["", " NOT NULL"]) + chance.choice(checks).format(c=column)
        table.columns.insert(1, f"{column} {kind}{tail}")
    extra = chance.random()
    if extra < 0.25:
        table.columns += ["begins date NOT NULL", "ends date", "CHECK (ends > begins)"]
    elif extra < 0.45:
        table.columns += ["status varchar(8) NOT NULL CHECK (status IN ('on', 'off'))", "off_at timestamp",
                          "CHECK ((status = 'off') = (off_at IS NOT NULL))"]  # fmt: skip
    elif extra < 0.6:
        table.columns += ["low integer NOT NULL CHECK (low BETWEEN 1 AND 50)", "high integer NOT NULL CHECK (high BETWEEN 1 AND 90)",
                          "CHECK (low + 5 < high OR high % 7 = 3)"]  # fmt: skip
    elif extra < 0.75:
        table.columns.append("code varchar(8) NOT NULL UNIQUE")
        table.fields.append('code: {pattern: "[A-F]{2}[0-9]{2}"}')


def _cycle(chance: Random, tables: list[Table]) -> str:
    """Sometimes the first table refers to a later one, optionally."""
    simple = [t for t in tables[1:] if len(t.key) == 1]
    if not simple or chance.random() < 0.6:
        return ""
    target = chance.choice(simple)
    return f"ALTER TABLE {tables[0].name} ADD COLUMN best_id {target.key[0][1]} REFERENCES {target.name} ({target.key[0][0]});\n"
