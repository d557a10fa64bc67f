"""Checks on references' own columns: they say which rows of the target may be referred to, that none is its own parent, and
which of two references to one target goes to the greater key."""

from __future__ import annotations

from dataclasses import replace

from sqlglot import exp

from ..expression import NotEvaluableError, parse
from ..expression.alike import alike_through
from ..expression.names import is_plain
from ..model import Alike, Check, Entity, PerOwner, PerPair, Relation, Same, World
from ..model.origins import Status
from .columns_of_references import held_by_columns
from .conditions import bare, conjuncts


def filter_references(world: World) -> World:
    """The world with `where` on references, out of checks that hold nothing but a reference's columns."""
    return replace(world, entities=tuple(_filtered(world, entity) for entity in world.entities))


def _filtered(world: World, entity: Entity) -> Entity:
    relations = {relation.name: held_by_columns(world, entity, relation) for relation in entity.relations}
    checks = []
    for check in entity.checks:
        found = None if check.status is not Status.OPEN else _on_a_reference(world, entity, check)
        if isinstance(found, tuple):
            relation, where = found
            kept = relations[relation.name].where
            if kept is not None:
                where = replace(where, expression=f"({kept.expression}) AND ({where.expression})")
            relations[relation.name] = replace(relation, where=where)
            check = replace(check, status=Status.MET, met_by=f"{relation.name} refers only to such rows")
        elif found is not None:
            check = replace(check, status=Status.MET, met_by=found)
        elif check.status is Status.OPEN and (led := _alike(world, entity, check, relations)) is not None:
            relations[led.name] = led
            check = replace(check, status=Status.MET, met_by=f"{led.name} refers to a row {led.alike[-1]}")
        elif check.status is Status.OPEN:
            _order(entity, check, relations)
        checks.append(check)
    return replace(entity, relations=tuple(relations.values()), checks=tuple(checks)) if relations else entity


def _alike(world: World, entity: Entity, check: Check, relations: dict[str, Relation]) -> Relation | None:
    """A reference whose target must have what the row has, where a row without such a target can refer to nothing, or itself.

    Any other is drawn again until it fits, and the row's field with it.
    """
    found = alike_through(check.expression, check.dialect) if "." in check.expression else None
    if found is None:
        return None
    name, (theirs, own) = found
    relation = relations.get(name)
    if relation is None or not entity.has(own) or not world.has(relation.target) or not world.entity(relation.target).has(theirs):
        return None
    free = relation.target == entity.name or all(entity.field(column).nullable for column in relation.columns)
    owned = isinstance(entity.rows, PerOwner | PerPair)
    decided = relation.weights or relation.spread or relation.choice or relation.tree or relation.present
    told = entity.field(own).nullable or world.entity(relation.target).field(theirs).nullable or own in relation.columns
    if not free or owned or decided or told:
        return None
    return replace(relation, alike=(*relation.alike, Alike(theirs=theirs, own=own, place=check.place)))


_LOWER = {exp.LT: True, exp.LTE: False}
_HIGHER = {exp.GT: True, exp.GTE: False}


def _order(entity: Entity, check: Check, relations: dict[str, Relation]) -> None:
    """`a < b` or `a = b` over two references to one target, which their layout needs to know: the check itself stays what it is.

    `a <= b` and `b <= a` together mean `a = b`.
    """
    alone = {relation.columns[0].lower(): name for name, relation in relations.items() if len(relation.columns) == 1}
    text = check.expression.lower()
    if len(alone) < 2 or sum(column in text for column in alone) < 2:
        return
    try:
        parts = conjuncts(parse(check.expression, check.dialect).tree.copy().unnest())
    except NotEvaluableError:
        return
    for part in parts:
        node = part.unnest()
        equal = isinstance(node, exp.EQ)
        strict = False if equal else _LOWER.get(type(node), _HIGHER.get(type(node)))
        sides = [bare(side) for side in (node.this, node.expression)] if strict is not None else []
        names = [alone.get(side.name.lower()) for side in sides if isinstance(side, exp.Column)]
        if strict is None or len(names) != 2 or None in names or names[0] == names[1]:
            continue
        low, high = (relations[str(name)] for name in (names if type(node) in _LOWER else reversed(names)))
        if (low.target, low.target_columns) != (high.target, high.target_columns) or low.target == entity.name:
            continue
        if not strict and (equal or (low.above == high.name and low.unlike is None and high.unlike is None)):
            if not set(low.name + high.name) & set(".="):  # which `same` would read otherwise
                same = Same(text=f"{low.name} = {high.name}", place=check.place)
                relations[high.name], relations[low.name] = replace(high, same=(*high.same, same)), replace(low, above=None)
            continue
        if high.above or low.above == high.name:
            continue
        differ = low.unlike == high.name or not strict
        relations[high.name] = replace(high, above=low.name, unlike=high.unlike if differ else high.unlike or low.name)


def _on_a_reference(world: World, entity: Entity, check: Check) -> tuple[Relation, Check] | str | None:
    text = check.expression.lower()
    if not any(column.lower() in text for relation in entity.relations for column in relation.columns):
        return None  # most checks are about other fields, and are not worth parsing here
    try:
        tree = parse(check.expression, check.dialect).tree.copy()
    except NotEvaluableError:
        return None
    folded = {name.lower(): name for name in entity.field_names}
    columns = {folded.get(column.name.lower(), "") for column in tree.find_all(exp.Column)}
    if isinstance(tree, exp.Paren):
        tree = tree.this
    for relation in entity.relations:
        to_itself = relation.target == entity.name and set(relation.columns + relation.target_columns) == columns
        optional = all(entity.has(column) and entity.field(column).nullable for column in relation.columns)
        if to_itself and len(columns) == 2 and isinstance(tree, exp.NEQ) and optional:
            return f"{relation.name} never refers to the row itself"
        if not columns or not columns <= set(relation.columns) or not world.has(relation.target):
            continue
        if tree.find(exp.Is) or len(relation.target_columns) != len(relation.columns):
            continue  # a rule about which columns are there, not about the target
        for column in list(tree.find_all(exp.Column)):
            name = relation.target_columns[relation.columns.index(folded[column.name.lower()])]
            column.set("this", exp.to_identifier(name, quoted=not is_plain(name)))
        return relation, Check(expression=tree.sql(dialect=check.dialect), dialect=check.dialect, place=check.place)
    return None
