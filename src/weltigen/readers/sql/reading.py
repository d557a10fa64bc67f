"""What the statements of one source share while they are read: the draft so far, its types, and what is said of the rest."""

from __future__ import annotations

from dataclasses import dataclass, field

from ...model import Check, Notice, Place, Problem
from ...model.problems import nearest
from ..drafts import ModelDraft, TableDraft
from .cursor import Cursor, folded
from .tokens import Script
from .types import NamedTypes

_USUAL_SCHEMAS = frozenset({"public", "main", "dbo"})


@dataclass(slots=True)
class Reading:
    """One source being read. `lenient` is set inside blocks whose conditions are not evaluated: there what exists may stay.
    `unknown`: by table the columns of a type that is not known."""

    script: Script
    draft: ModelDraft = field(default_factory=ModelDraft)
    types: NamedTypes = field(default_factory=NamedTypes)
    lenient: bool = False
    unknown: dict[str, list[str]] = field(default_factory=dict)
    path: tuple[str, ...] = ()  # schemas in which names without one are looked for; tables are made in the first

    def table_name(self, cursor: Cursor, made: bool = False) -> tuple[str | None, str]:
        """Schema, or None, and the entity's name, which holds the schema where that is not the usual one. A table that is `made`
        here lies in the first schema of the search path; another one where the path finds it."""
        schema, name = cursor.qualified()
        if schema is None and self.path:
            found = (one for one in self.path if self.draft.holds(entity_name(one, name)))
            schema = self.path[0] if made else next(found, None)
        return schema, entity_name(schema, name)

    def search(self, cursor: Cursor) -> None:
        """Behind PostgreSQL's SET: the search path, if it is that."""
        cursor.take_any("SESSION", "LOCAL")
        if self.script.dialect.folds_case and cursor.word() == "SEARCH_PATH":
            names = [token.value for token in cursor.tokens[cursor.at + 2 :] if token.kind != "sign"]
            self.path = tuple(name for name in names if name.lower() not in ("pg_catalog", "$user", "default", ""))

    def table(self, cursor: Cursor, needed: bool = True) -> TableDraft | None:
        """The table named here; a problem where it must be there and is not."""
        place = cursor.place()
        _, name = self.table_name(cursor)
        found = self.draft.find(name)
        if found is None and needed and not self.lenient:
            hint = nearest(name, [draft.name for draft in self.draft.tables])
            self.draft.problems.append(Problem(fact=f"no table '{name}' is declared before this", place=place, hint=hint))
        return found

    def notice(self, what: str, place: Place | None, stepped_over: bool = False) -> None:
        self.draft.notices.append(Notice(what=shortened(what), place=place, stepped_over=stepped_over))

    def step_over(self, cursor: Cursor, stepped_over: bool = True) -> None:
        """List the whole statement that the cursor goes through."""
        place = self.script.place(cursor.tokens[0].start) if cursor.tokens else None
        self.notice(cursor.text(0, min(len(cursor.tokens), 40)), place, stepped_over)

    def check(self, expression: str, name: str | None, place: Place | None) -> Check:
        return Check(expression=expression, name=name, dialect=self.script.dialect.sqlglot, place=place)

    def rewritten(self, expression: str, old: str, new: str) -> str:
        """An expression with one name in place of another."""
        part = Script(expression, self.script.file, self.script.dialect)
        quote = "`" if self.script.dialect.backslashes else '"'
        out, last = [], 0
        for token in part.tokens():
            if token.kind in ("word", "name") and folded(token, part).lower() == old.lower():
                out += [expression[last : token.start], quote, new, quote]  # the new name may be a word of SQL's
                last = token.end
        return "".join(out) + expression[last:]

    def mentions(self, expression: str, name: str) -> bool:
        part = Script(expression, self.script.file, self.script.dialect)
        return any(t.kind in ("word", "name") and t.value.lower() == name.lower() for t in part.tokens())


def entity_name(schema: str | None, name: str) -> str:
    """What a table is called in the world: with its schema where that is not the usual one."""
    return name if schema is None or schema.lower() in _USUAL_SCHEMAS else f"{schema}.{name}"


def shortened(text: str, most: int = 70) -> str:
    return text if len(text) <= most else text[: most - 1] + "…"


def names_in(group: Cursor) -> tuple[str, ...]:
    """The names of a list of columns; what stands behind each (a length, an order) is passed over."""
    return tuple(item.name() for item in group.items())
