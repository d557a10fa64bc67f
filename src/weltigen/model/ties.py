"""Ties: ways from a row, over the rows that it refers to, which must end in one and the same row."""

from __future__ import annotations

from dataclasses import dataclass
from heapq import heappop, heappush

from .entities import Entity
from .problems import Place, Problem, nearest
from .relations import Relation, Same
from .world import World

Way = tuple[str, ...]  # names of relations, each of the entity in which the one before it ended
_OPTIONAL = 1000  # a way over references that must be there is better than any over one that may be null


@dataclass(frozen=True, slots=True, kw_only=True)
class Tie:
    """Ways from the rows of one entity that end in the same row of `ancestor`; the empty way is the row itself."""

    ancestor: str
    ways: tuple[Way, ...]
    place: Place | None = None


def find_ties(world: World) -> tuple[dict[str, tuple[Tie, ...]], list[Problem]]:
    """The ties of each entity: those that the whole world keeps, and those of single references."""
    found: dict[str, list[Tie]] = {entity.name: [] for entity in world.entities}
    problems: list[Problem] = []
    for same in world.same:
        if not world.has(same.text):
            problems.append(Problem(fact=f"same: no entity '{same.text}'", place=same.place,
                                    hint=nearest(same.text, world.entity_names)))  # fmt: skip
            continue
        tied = list(_of_world(world, same))
        if not tied:
            problems.append(Problem(fact=f"same: no entity leads to {same.text} in more than one way", place=same.place,
                                    hint="nothing has to agree on it, so leave it out"))  # fmt: skip
        for name, tie in tied:
            found[name].append(tie)
    for entity in world.entities:
        for relation in entity.relations:
            for same in relation.same:
                asked = _of_reference(world, entity, relation, same)
                if isinstance(asked, Problem):
                    problems.append(asked)
                else:
                    found[entity.name].append(asked)
    return {name: tuple(ties) for name, ties in found.items()}, problems


def homes(world: World, ancestor: str) -> dict[str, Way]:
    """For each entity that leads to `ancestor` the shortest way there, over references that must be there if possible."""
    referring: dict[str, list[Relation]] = {}
    for entity in world.entities:
        for relation in entity.relations:
            if relation.target != entity.name:
                referring.setdefault(relation.target, []).append(relation)
    best: dict[str, Way] = {}
    waiting: list[tuple[int, Way, str]] = [(0, (), ancestor)]
    while waiting:
        cost, way, name = heappop(waiting)
        if name in best:
            continue
        best[name] = way
        for relation in referring.get(name, ()):
            if relation.entity not in best:
                heappush(waiting, (cost + 1 + _OPTIONAL * _optional(world, relation), (relation.name, *way), relation.entity))
    return best


def _optional(world: World, relation: Relation) -> bool:
    entity = world.entity(relation.entity)
    return any(entity.has(column) and entity.field(column).nullable for column in relation.columns)


def _of_world(world: World, same: Same) -> list[tuple[str, Tie]]:
    home = homes(world, same.text)
    out = []
    for entity in world.entities:
        if entity.name not in home:
            continue
        own = [r for r in entity.relations if r.target in home and not (entity.name == same.text == r.target)]
        ways: list[Way] = [(r.name, *home[r.target]) for r in own]
        leads = any(r.target != entity.name for r in own)
        if entity.name == same.text:
            ways.insert(0, ())
        if leads and len(ways) > 1:
            out.append((entity.name, Tie(ancestor=same.text, ways=tuple(ways), place=same.place)))
    return out


def _of_reference(world: World, entity: Entity, relation: Relation, same: Same) -> Tie | Problem:
    """`same: [PATH]` of one reference: where its target leads, another way from the row leads too."""
    named = f"{entity.name}.{relation.name}: same"
    mine, equals, theirs = (part.strip() for part in same.text.partition("="))
    if equals:
        pair = [_walk(world, entity, side) for side in (mine, theirs)]
        for side, walked in zip((mine, theirs), pair, strict=True):
            if walked is None:
                return _no_way(entity, named, side, same)
        (one, end), (other, other_end) = [walked for walked in pair if walked]
        if end != other_end:
            return Problem(fact=f"{named}: {mine} ends in {end}, but {theirs} in {other_end}", place=same.place)
        return Tie(ancestor=end, ways=(one, other), place=same.place)
    walked = _walk(world, entity, mine)
    if walked is None or "." not in mine:  # the name of an entity, to which every other reference's way is looked for
        ancestor = mine if world.has(mine) else walked[1] if walked else None
        if ancestor is None:
            return _no_way(entity, named, mine, same)
        home = homes(world, ancestor)
        others = [r for r in entity.relations if r is not relation and r.target in home and r.target != entity.name]
        if walked is not None and not world.has(mine):
            others = [r for r in others if r.name == walked[0][0]]
        if len(others) > 1:
            listed = ", ".join(".".join((r.name, *home[r.target])) for r in others)
            return Problem(fact=f"{named}: {entity.name} leads to {ancestor} in several ways", place=same.place,
                           hint=f"name one of them: {listed}")  # fmt: skip
        if not others:
            return Problem(fact=f"{named}: no other reference of {entity.name} leads to {ancestor}", place=same.place)
        way: Way = (others[0].name, *home[others[0].target])
    else:
        way, ancestor = walked
    there = homes(world, ancestor).get(relation.target)
    if there is None:
        return Problem(fact=f"{named}: {relation.target}, to which it refers, does not lead to {ancestor}", place=same.place)
    if way[0] == relation.name:
        return Problem(fact=f"{named}: {mine} begins with {relation.name} itself", place=same.place,
                       hint="name a way that begins with another reference")  # fmt: skip
    return Tie(ancestor=ancestor, ways=((relation.name, *there), way), place=same.place)


def _walk(world: World, entity: Entity, path: str) -> tuple[Way, str] | None:
    """The relations that a path names, and the entity in which it ends; None where a word of it names none."""
    way: list[str] = []
    at = entity
    for word in path.split("."):
        relation = _named(at, word)
        if relation is None or not world.has(relation.target):
            return None
        way.append(relation.name)
        at = world.entity(relation.target)
    return tuple(way), at.name


def _named(entity: Entity, word: str) -> Relation | None:
    """A relation by its name or its column, or by its target where only one goes there."""
    for relation in entity.relations:
        if word == relation.name or relation.columns == (word,):
            return relation
    fitting = [relation for relation in entity.relations if relation.target == word]
    return fitting[0] if len(fitting) == 1 else None


def _no_way(entity: Entity, named: str, path: str, same: Same) -> Problem:
    known = ", ".join(relation.name for relation in entity.relations)
    return Problem(fact=f"{named}: '{path}' names no way from {entity.name}", place=same.place,
                   hint=f"as in same: [sailing.port]; {entity.name} refers to: {known}")  # fmt: skip
