"""Tables while they are being read: what statements add up to, before it is frozen into entities."""

from __future__ import annotations

from dataclasses import dataclass, field, replace

from ..model import Check, Entity, Field, NotUnderstood, Place, Problem, Relation, Unique, World
from ..model.problems import UnreadableError, nearest


@dataclass(slots=True)
class TableDraft:
    """One table so far; names in rules and relations are still as their statements spelled them."""

    name: str
    place: Place | None = None
    schema: str | None = None
    comment: str | None = None
    fields: list[Field] = field(default_factory=list)
    key: tuple[str, ...] = ()
    uniques: list[Unique] = field(default_factory=list)
    checks: list[Check] = field(default_factory=list)
    relations: list[Relation] = field(default_factory=list)

    def spelled(self, name: str) -> str:
        """The name as the column's declaration spells it; SQL folds the case of unquoted names."""
        for known in self.fields:
            if known.name.lower() == name.lower():
                return known.name
        return name

    def replace_field(self, name: str, **changes: object) -> None:
        spelled = self.spelled(name)
        self.fields = [replace(f, **changes) if f.name == spelled else f for f in self.fields]  # type: ignore[arg-type]


@dataclass(slots=True)
class ModelDraft:
    """All tables so far, by folded name."""

    tables: dict[str, TableDraft] = field(default_factory=dict)
    enums: dict[str, tuple[str, ...]] = field(default_factory=dict)
    not_understood: list[NotUnderstood] = field(default_factory=list)
    problems: list[Problem] = field(default_factory=list)

    def freeze(self, name: str, dialect: str | None) -> World:
        """The world of these tables; UnreadableError lists every name that nothing answers to."""
        entities = tuple(self._freeze_table(draft) for draft in self.tables.values())
        if self.problems:
            raise UnreadableError(self.problems)
        return World(name=name, entities=entities, dialect=dialect, sources=(name,), not_understood=tuple(self.not_understood))

    def _freeze_table(self, draft: TableDraft) -> Entity:
        names = [f.name for f in draft.fields]
        for rule, columns, place in self._column_uses(draft):
            for column in columns:
                if draft.spelled(column) not in names:
                    self._unknown(f"{draft.name}: {rule} names a column '{column}' that is not there", place, column, names)
        key = tuple(map(draft.spelled, draft.key))
        fields = tuple(replace(f, nullable=False) if f.name in key else f for f in draft.fields)
        checks = tuple(draft.checks)
        uniques = tuple(replace(u, columns=tuple(map(draft.spelled, u.columns))) for u in draft.uniques)
        return Entity(
            name=draft.name, fields=fields, schema=draft.schema, key=key, uniques=uniques, checks=checks,
            relations=name_relations([self._resolve(draft, r) for r in draft.relations]),
            comment=draft.comment, place=draft.place,
        )  # fmt: skip

    def _column_uses(self, draft: TableDraft) -> list[tuple[str, tuple[str, ...], Place | None]]:
        uses: list[tuple[str, tuple[str, ...], Place | None]] = [("the primary key", draft.key, draft.place)]
        uses += [(str(u), u.columns, u.place) for u in draft.uniques]
        return uses + [(f"the reference to {r.target}", r.columns, r.place) for r in draft.relations]

    def _resolve(self, draft: TableDraft, relation: Relation) -> Relation:
        """Spell the target and its columns as they were declared."""
        target = self.tables.get(relation.target.lower())
        columns = tuple(map(draft.spelled, relation.columns))
        if target is None:
            known = [table.name for table in self.tables.values()]
            self._unknown(
                f"{draft.name}.{'+'.join(columns)} refers to '{relation.target}', which is declared nowhere",
                relation.place, relation.target, known,
            )  # fmt: skip
            return replace(relation, columns=columns)
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
        return replace(relation, target=target.name, columns=columns, target_columns=target_columns)

    def _unknown(self, fact: str, place: Place | None, word: str, known: list[str]) -> None:
        self.problems.append(Problem(fact=fact, place=place, hint=nearest(word, known)))


def name_relations(relations: list[Relation]) -> tuple[Relation, ...]:
    """Each relation named by its column without `_id`, or by its target; numbered where that is taken."""
    named: list[Relation] = []
    taken: set[str] = set()
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
        if any(known.columns == relation.columns and known.target == relation.target for known in named):
            continue  # the same reference, declared twice
        unique, number = name, 2
        while unique in taken:
            unique, number = f"{name}_{number}", number + 1
        taken.add(unique)
        named.append(replace(relation, name=unique))
    return tuple(named)
