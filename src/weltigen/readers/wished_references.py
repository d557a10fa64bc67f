"""Wishes for references: which rows they go to, how often, and in which form."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from ..expression.alike import alike_and_rest
from ..model import EVEN, Alike, Check, Choice, Entity, Favour, OnDelete, Relation, Same, Spread
from ..model import Tree as TreeForm
from ..model.problems import nearest
from .choices import READERS
from .grammar import FavourSection, ReferenceSection, SpreadSection, TreeSection
from .understanding import find_relation, refers_to
from .wishes import Wishes
from .yaml_tree import Path

_RULES = (OnDelete.CASCADE, OnDelete.RESTRICT, OnDelete.SET_NULL)


class ReferenceWishes(Wishes):
    """Reads the parts of one file that are about references."""

    def reference(self, entity: Entity, relation: Relation, wish: ReferenceSection, path: Path) -> Relation:
        favour = relation.favour
        if isinstance(wish.favour, FavourSection):
            favour = Favour(few=wish.favour.few, take=wish.favour.take)
            if not 0 < favour.few <= favour.take <= 1:
                self.problem(
                    (*path, "favour"),
                    f"few ({favour.few:.0%}) can take no less than their own share ({favour.take:.0%})",
                )
        elif wish.favour is not None:
            favour = EVEN
            if wish.favour != "even":
                self.problem(
                    (*path, "favour"),
                    f"'{wish.favour}' is not a way to favour",
                    "write even, or {few: 20%, take: 50%}",
                    value=True,
                )
        unlike = relation.unlike
        if wish.unlike is not None:
            other = find_relation(entity, wish.unlike)
            if other is None or other.target != relation.target:
                self.problem(
                    (*path, "unlike"),
                    f"'{wish.unlike}' is not another reference to {relation.target}",
                    refers_to(entity, wish.unlike),
                    value=True,
                )
            else:
                unlike = other.name
        present = self.present(entity, wish.present, (*path, "present"))
        return replace(
            relation, favour=favour, unlike=unlike, wished=self.tree.place(path), present=present or relation.present,
            same=tuple(
                Same(text=text, place=self.tree.value_place((*path, "same", number))) for number, text in enumerate(wish.same)
            ) if wish.same is not None else relation.same,
            **self._where(entity, relation, wish.where, (*path, "where")),
            weights=tuple(wish.weights.items()) if wish.weights else relation.weights,
            spread=self._spread(wish.rows, (*path, "rows")) or relation.spread,
            on_delete=self._on_delete(entity, relation, wish.on_delete, (*path, "on_delete")),
            tree=self._tree(entity, relation, wish.tree, (*path, "tree")) or relation.tree,
            choice=self._choice(entity, relation, wish, path) or relation.choice,
        )  # fmt: skip

    def _on_delete(self, entity: Entity, relation: Relation, text: str | None, path: Path) -> OnDelete:
        """A delete rule, where the model has none of its own."""
        if text is None:
            return relation.on_delete
        asked = next((rule for rule in _RULES if rule == text.lower()), None)
        if asked is None:
            self.problem(path, f"'{text}' is nothing that a delete does", f"write {', '.join(_RULES)}", value=True)
        elif relation.on_delete not in (OnDelete.NO_ACTION, asked):
            self.problem(path, f"the model says of {relation.label}: on delete {relation.on_delete}", "leave out on_delete")
        elif asked is OnDelete.SET_NULL and not all(entity.field(column).nullable for column in relation.columns):
            self.problem(path, f"{relation.label} must not be null, so no delete can set it null", value=True)
        else:
            return asked
        return relation.on_delete

    def _choice(self, entity: Entity, relation: Relation, wish: ReferenceSection, path: Path) -> Choice | None:
        """The way of choosing that a reference names, if any."""
        found = (read(self, entity, relation, wish, path) for read in READERS)
        return next((choice for choice in found if choice is not None), None)

    def _where(self, entity: Entity, relation: Relation, text: str | None, path: Path) -> dict[str, Any]:
        """A condition over the fields of the target; in `species = row.species`, `row` is the row that refers to it."""
        place = self.tree.place(path)
        found = alike_and_rest(text) if text is not None and "row." in text.lower() else ([], text)
        if found is None:
            self.problem(path, f"'{text}' compares the row in a way that no layout keeps", "write FIELD = row.FIELD", value=True)
            return {}
        pairs, rest = found
        target, alike = self.world.entity(relation.target), []
        for theirs, own in pairs:
            for one, name in ((target, theirs), (entity, own)):
                if not one.has(name):
                    self.problem(path, f"{one.name} has no field '{name}'", nearest(name, one.field_names), value=True)
            alike.append(Alike(theirs=theirs, own=own, place=place))
        out: dict[str, Any] = {"alike": tuple(alike)} if alike else {}
        if rest is not None and self.expression(target, rest, path):
            out["where"] = Check(expression=rest, place=place)
        return out

    def _spread(self, wish: SpreadSection | None, path: Path) -> Spread | None:
        if wish is None:
            return None
        least = wish.least if wish.least is not None else 0
        if wish.most is not None and least > wish.most:
            self.problem(path, f"at least {least} and at most {wish.most}: none can be both")
        return Spread(mean=wish.mean, least=wish.least, most=wish.most, none=wish.none, place=self.tree.place(path))

    def _tree(self, entity: Entity, relation: Relation, wish: TreeSection | None, path: Path) -> TreeForm | None:
        if wish is None:
            return None
        if relation.target != entity.name:
            self.problem(path, f"{entity.name}.{relation.name} goes to {relation.target}: a tree refers to itself")
        share = wish.roots if isinstance(wish.roots, float) else None
        roots = 1 if share is not None else int(wish.roots)
        return TreeForm(roots=roots, share=share, depth=wish.depth, most=wish.most, place=self.tree.place(path))
