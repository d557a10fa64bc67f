"""Tables while they are being read: what statements add up to, before it is frozen into entities."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass, field, replace
from typing import TypeVar

from ..model import Check, Entity, Field, FixedRow, Index, Notice, Place, Problem, Relation, Unique, World
from ..model.changing import changed
from ..model.folding import fold_of
from ..model.problems import UnreadableError, nearest

_Rule = TypeVar("_Rule", Unique, Index)


@dataclass(slots=True)
class TableDraft:
    """One table so far; names in rules and relations are still as their statements spelled them."""

    name: str
    place: Place | None = None
    schema: str | None = None
    comment: str | None = None
    fields: list[Field] = field(default_factory=list)
    key: tuple[str, ...] = ()
    key_name: str | None = None
    uniques: list[Unique] = field(default_factory=list)
    indexes: list[Index] = field(default_factory=list)
    checks: list[Check] = field(default_factory=list)
    relations: list[Relation] = field(default_factory=list)
    fixed: list[FixedRow] = field(default_factory=list)
    _at: dict[str, int] = field(default_factory=dict)
    _indexed: list[Field] | None = None
    held: int | None = None
    collation: str | None = None
    partitioned_by: tuple[str, ...] = ()
    parts: list[str | None] = field(default_factory=list)  # what holds in each of its partitions; None where anything does

    def at(self, name: str) -> int:
        """The place of the column of that name, -1 without one; any case will do where the exact one is not there."""
        if self._indexed is not self.fields:  # columns were renamed, dropped or put in another order
            self._at = {known.name.lower(): i for i, known in reversed(list(enumerate(self.fields)))}
            self._at |= {known.name: i for i, known in enumerate(self.fields)}
            self._indexed = self.fields
        return self._at.get(name, self._at.get(name.lower(), -1))

    def find(self, name: str) -> Field | None:
        number = self.at(name)
        return self.fields[number] if number >= 0 else None

    def add_field(self, field: Field) -> None:
        self.at(field.name)  # the index is up to date from here on
        self._at.setdefault(field.name.lower(), len(self.fields))
        self._at[field.name] = len(self.fields)
        self.fields.append(field)

    def spelled(self, name: str) -> str:
        """The name as the column's declaration spells it."""
        found = self.find(name)
        return found.name if found else name

    def replace_field(self, name: str, **changes: object) -> None:
        number = self.at(name)
        if number >= 0:
            self.fields[number] = changed(self.fields[number], **changes)

    def rename_field(self, old: str, new: str, rewrite: Callable[[str], str]) -> None:
        """A column under another name, in every rule that names it; `rewrite` does so in the text of an expression."""
        old = self.spelled(old)

        def renamed(columns: tuple[str, ...]) -> tuple[str, ...]:
            return tuple(new if self.spelled(column) == old else column for column in columns)

        self.key = renamed(self.key)

        def rewritten(rule: _Rule) -> _Rule:
            expressions = tuple(map(rewrite, rule.expressions))
            return replace(rule, columns=renamed(rule.columns), where=rule.where and rewrite(rule.where), expressions=expressions)

        self.uniques, self.indexes = list(map(rewritten, self.uniques)), list(map(rewritten, self.indexes))
        self.relations = [replace(r, columns=renamed(r.columns)) for r in self.relations]
        self.checks = [replace(c, expression=rewrite(c.expression)) for c in self.checks]
        self.fixed = [tuple((new if name == old else name, text) for name, text in row) for row in self.fixed]
        self.fields = [replace(f, name=new) if f.name == old else f for f in self.fields]
        self.fields = [replace(f, generated=rewrite(f.generated)) if f.generated else f for f in self.fields]

    def drop_field(self, name: str, mentions: Callable[[str], bool]) -> None:
        """Without a column, and without the rules that named it; `mentions` says so of an expression."""
        gone = self.spelled(name)

        def names(columns: tuple[str, ...]) -> bool:
            return any(self.spelled(column) == gone for column in columns)

        self.key = () if names(self.key) else self.key

        def stays(rule: Unique | Index) -> bool:
            return not names(rule.columns) and not any(map(mentions, (*rule.expressions, rule.where or "")))

        self.uniques, self.indexes = list(filter(stays, self.uniques)), list(filter(stays, self.indexes))
        self.relations = [r for r in self.relations if not names(r.columns)]
        self.checks = [c for c in self.checks if not mentions(c.expression)]
        self.fixed = [tuple((name, text) for name, text in row if name != gone) for row in self.fixed]
        self.fields = [f for f in self.fields if f.name != gone]

    def drop_rule(self, name: str) -> bool:
        """Without the constraint or index of that name, given or made up by the database; false where there is none."""
        folded = name.lower()
        if folded == (self.key_name or f"{self.name}_pkey").lower() or folded == "primary":
            self.key = ()
            return True
        for rules in (self.uniques, self.indexes, self.checks, self.relations):
            for rule in rules:
                if folded in _rule_names(self.name, rule):
                    rules.remove(rule)  # type: ignore[arg-type]
                    return True
        return False


def _rule_names(table: str, rule: Unique | Index | Check | Relation) -> list[str]:
    """The name of a rule, or those that PostgreSQL and MySQL give to one without."""
    given = rule.constraint if isinstance(rule, Relation) else rule.name
    if given:
        return [given.lower()]
    match rule:
        case Unique():
            return [f"{table}_{'_'.join(rule.columns)}_key".lower()[:63], *(column.lower() for column in rule.columns[:1])]
        case Index():
            return [f"{table}_{'_'.join(rule.columns)}_idx".lower()[:63], *(column.lower() for column in rule.columns[:1])]
        case Relation():
            return [f"{table}_{'_'.join(rule.columns)}_fkey".lower()[:63]]
        case Check():
            words = "".join(c if c.isalnum() or c == "_" else " " for c in rule.expression.lower()).split()
            return [f"{table.lower()}_{word}_check" for word in words] + [f"{table.lower()}_check"]


@dataclass(slots=True)
class ModelDraft:
    """All tables so far, in the order in which they were made."""

    tables: list[TableDraft] = field(default_factory=list)
    dialect: str | None = None  # as sqlglot calls it
    spelled: dict[str, str] = field(default_factory=dict)  # names as they are written, by what the database folds them to
    notices: list[Notice] = field(default_factory=list)
    problems: list[Problem] = field(default_factory=list)
    _by_name: dict[str, TableDraft] = field(default_factory=dict)
    _by_last: dict[str, list[TableDraft]] = field(default_factory=dict)

    def add(self, table: TableDraft) -> None:
        self.tables.append(table)
        self._by_name.setdefault(table.name.lower(), table)
        self._by_name[f"={table.name}"] = table
        self._by_last.setdefault(table.name.lower().rpartition(".")[2], []).append(table)

    def find(self, name: str) -> TableDraft | None:
        """The table of exactly that name, or of that name in another case or in some schema where only one fits."""
        found = self._by_name.get(f"={name}") or self._by_name.get(name.lower())
        if found is None:
            # a name without its schema, or with one that the declaration left out
            last = name.lower().rpartition(".")[2]
            fitting = [t for t in self._by_last.get(last, ()) if t.name.lower() == last or "." not in name]
            found = fitting[0] if len(fitting) == 1 else None
        return found

    def holds(self, name: str) -> bool:
        """Whether a table of exactly that name is declared."""
        return f"={name}" in self._by_name or name.lower() in self._by_name

    def drop(self, table: TableDraft) -> None:
        """Without a table, and without the references to it."""
        self._set([t for t in self.tables if t is not table])
        for other in self.tables:
            other.relations = [r for r in other.relations if self._target(r, table) is not table]

    def rename(self, table: TableDraft, name: str) -> None:
        for other in self.tables:
            other.relations = [
                replace(r, target=name if r.target == table.name or self.find(r.target) is table else r.target)
                for r in other.relations
            ]
        table.name = name
        self._set(self.tables)

    def _target(self, relation: Relation, gone: TableDraft) -> TableDraft | None:
        return gone if relation.target.lower() == gone.name.lower() else self.find(relation.target)

    def _set(self, tables: list[TableDraft]) -> None:
        self.tables, self._by_name, self._by_last = [], {}, {}
        for table in tables:
            self.add(table)

    def rename_target_columns(self, table: TableDraft, old: str, new: str) -> None:
        for other in self.tables:
            other.relations = [
                replace(r, target_columns=tuple(new if c.lower() == old.lower() else c for c in r.target_columns))
                if r.target_columns and self.find(r.target) is table
                else r
                for r in other.relations
            ]

    def freeze(self, name: str, dialect: str | None) -> World:
        """The world of these tables; UnreadableError lists every name that nothing answers to."""
        entities = tuple(self._freeze_table(draft, dialect) for draft in self.tables)
        if self.problems:
            raise UnreadableError(self.problems)
        return World(
            name=name, entities=entities, dialect=dialect, sources=(name,), notices=tuple(self.notices),
            spelled=tuple(self.spelled.items()),
        )  # fmt: skip

    def _freeze_table(self, draft: TableDraft, dialect: str | None) -> Entity:
        names = [f.name for f in draft.fields]
        known = set(names)
        for rule, columns, place in self._column_uses(draft):
            for column in columns:
                if draft.spelled(column) not in known:
                    self._unknown(f"{draft.name}: {rule} names a column '{column}' that is not there", place, column, names)
        key = tuple(map(draft.spelled, draft.key))
        if draft.parts and None not in draft.parts:
            rule = " OR ".join(f"({part})" for part in draft.parts if part)
            draft.checks.append(Check(expression=rule, name="partitions", dialect=self.dialect, place=draft.place))
        fields = tuple(replace(f, nullable=False) if f.name in key and f.nullable else f for f in draft.fields)
        fields = tuple(_collated(f, draft.collation, dialect) for f in fields)
        return Entity(
            name=draft.name, fields=fields, schema=draft.schema, key=key, checks=tuple(draft.checks),
            uniques=tuple(replace(u, columns=tuple(map(draft.spelled, u.columns))) for u in _once(draft.uniques)),
            indexes=tuple(replace(i, columns=tuple(map(draft.spelled, i.columns))) for i in _once(draft.indexes)),
            relations=name_relations(
                [self._resolve(draft, r) for r in draft.relations if not self._kept_by_none(draft, r)], names
            ),
            comment=draft.comment, place=draft.place, fixed=tuple(draft.fixed), held=draft.held,
        )  # fmt: skip

    def _column_uses(self, draft: TableDraft) -> list[tuple[str, tuple[str, ...], Place | None]]:
        uses: list[tuple[str, tuple[str, ...], Place | None]] = [("the primary key", draft.key, draft.place)]
        uses += [(str(rule), rule.columns, rule.place) for rule in draft.uniques]
        uses += [(str(index), index.columns, index.place) for index in draft.indexes]
        return uses + [(f"the reference to {r.target}", r.columns, r.place) for r in draft.relations]

    def _kept_by_none(self, draft: TableDraft, relation: Relation) -> bool:
        """Whether SQLite takes a reference which leads nowhere, to a table that is not there or has no key; it is only told."""
        if self.dialect != "sqlite":
            return False
        target = self.find(relation.target)
        if target is not None and (relation.target_columns or target.key):
            return False
        why = "has no primary key" if target is not None else "is declared nowhere"
        what = f"{draft.name}.{'+'.join(relation.columns)} refers to '{relation.target}', which {why}: it leads nowhere"
        self.notices.append(Notice(what=what, place=relation.place))
        return True

    def _resolve(self, draft: TableDraft, relation: Relation) -> Relation:
        """Spell the target and its columns as they were declared."""
        target = self.find(relation.target)
        columns = tuple(map(draft.spelled, relation.columns))
        if target is None:
            known = [table.name for table in self.tables]
            self._unknown(
                f"{draft.name}.{'+'.join(columns)} refers to '{relation.target}', which is declared nowhere",
                relation.place, relation.target, known,
            )  # fmt: skip
            return changed(relation, columns=columns)
        target_columns = tuple(map(target.spelled, relation.target_columns or target.key))
        names = [f.name for f in target.fields]
        for column in target_columns:
            if column not in names:
                fact = f"{draft.name}.{'+'.join(columns)} refers to {target.name}.{column}, which is not there"
                self._unknown(fact, relation.place, column, names)
        if len(target_columns) != len(columns):
            how_many = f"{len(columns)} to {len(target_columns)} columns" if target_columns else "it has no primary key"
            self.problems.append(Problem(
                fact=f"{draft.name}.{'+'.join(columns)} cannot refer to {target.name}: {how_many}", place=relation.place,
                hint="name the columns: REFERENCES table (column, …)",
            ))  # fmt: skip
            return relation
        return changed(relation, entity=draft.name, target=target.name, columns=columns, target_columns=target_columns)

    def _unknown(self, fact: str, place: Place | None, word: str, known: list[str]) -> None:
        self.problems.append(Problem(fact=fact, place=place, hint=nearest(word, known)))


def _collated(field: Field, usual: str | None, dialect: str | None) -> Field:
    """The field with its own or its table's collation, where that compares otherwise than what has none."""
    collation = field.collation or usual
    if fold_of(field.type, collation, dialect) is fold_of(field.type, None, dialect):
        collation = None
    return field if collation == field.collation else changed(field, collation=collation)


def _once(rules: list[_Rule]) -> list[_Rule]:
    """Each rule once, though a constraint and its index may both declare it."""
    seen: dict[tuple[object, ...], _Rule] = {}
    for rule in rules:
        seen.setdefault((rule.columns, rule.expressions, rule.where), rule)
    return list(seen.values())


def name_relations(relations: list[Relation], fields: Iterable[str]) -> tuple[Relation, ...]:
    """Each relation named by its column without `_id`, or by its target; never as another one or as another field."""
    named: list[Relation] = []
    held = {column for relation in relations for column in relation.columns}
    others = set(fields) - held
    taken = set(others)
    for relation in relations:
        name = relation.name
        if not name:
            column = relation.columns[0]
            name = relation.target
            if len(relation.columns) == 1:
                name = next(
                    (column[: -len(end)] for end in ("_id", "Id", "ID") if column.endswith(end) and column != end),
                    column,
                )
                name = column if name in others else name
        if any(known.columns == relation.columns and known.target == relation.target for known in named):
            continue  # the same reference, declared twice
        unique, number = name, 2
        while unique in (taken - others if relation.name else taken):
            unique, number = f"{name}_{number}", number + 1
        taken.add(unique)
        named.append(changed(relation, name=unique))
    return tuple(named)
