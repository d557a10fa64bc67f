"""`near`: no more rows lie nearer to the other reference's row than the world file says one is chosen among."""

from __future__ import annotations

from collections.abc import Iterator

from ...model import Entity, KindSource, Relation, World
from ...stored.names import quoted
from ...stored.stores.store import Store
from ..rule import SetRule
from .choice import register

_MOST_PAIRS = 50_000_000  # distances that are worked out at the most
_EQUAL = 1e-11  # haversines that differ by less are those of one distance: a few centimetres


def near_rules(world: World, entity: Entity, relation: Relation, store: Store) -> Iterator[SetRule]:
    assert relation.choice is not None
    told = dict(relation.choice.parameters)
    other, of = entity.relation(told["to"]), int(told["of"])
    here, there = world.entity(other.target), world.entity(relation.target)
    names = [[_of_kind(end, kind) for kind in ("latitude", "longitude")] for end in (here, there)]
    if None in names[0] or None in names[1] or store.columns(here) is None:
        return
    rows, targets = (int(store.query(f"SELECT count(*) FROM {store.table(one)}")[0][0]) for one in (here, there))
    text = f"{relation.name} is one of the {of} nearest to its {other.name}"
    if min(rows, targets) * targets > _MOST_PAIRS:
        text += f" (of the first rows, since there are {targets:,} {there.name})"
    pairs = max(1, _MOST_PAIRS // max(1, targets))
    apart = of + (relation.unlike == other.name and here.name == there.name)  # the row itself is nearest, and left out
    shown = ", ".join(f"this.{quoted(column)}" for column in dict.fromkeys((*entity.key, *relation.columns)))
    near, chosen, any_ = (_haversine("here", names[0], end, names[1]) for end in ("there", "there", "rival"))
    known = " AND ".join(
        f"{end}.{quoted(str(n))} IS NOT NULL" for end, own in (("here", names[0]), ("there", names[1])) for n in own
    )
    query = (
        f"SELECT {shown}, count(*) FROM (SELECT * FROM {store.table(entity)} LIMIT {pairs}) AS this"
        f" JOIN {store.table(here)} AS here ON {_joined('this', other, 'here')}"
        f" JOIN {store.table(there)} AS there ON {_joined('this', relation, 'there')}"
        f" JOIN {store.table(there)} AS rival ON {any_} < {chosen} - {_EQUAL}"
        f" WHERE {known} GROUP BY {shown}, {near} HAVING count(*) >= {apart}"
    )
    keys = dict.fromkeys((*entity.key, *relation.columns))
    yield SetRule(kind="near", text=text, query=query, shown=(*keys, "rows nearer"), keys=len(entity.key))


def _of_kind(entity: Entity, kind: str) -> str | None:
    found = (field.name for field in entity.fields if isinstance(field.source, KindSource) and field.source.kind == kind)
    return next(found, None)


def _joined(one: str, relation: Relation, other: str) -> str:
    columns = zip(relation.columns, relation.target_columns, strict=True)
    return " AND ".join(f"{one}.{quoted(c)} = {other}.{quoted(t)}" for c, t in columns)


def _haversine(one: str, names: list[str | None], other: str, theirs: list[str | None]) -> str:
    """sin²(Δφ/2) + cos φ₁ cos φ₂ sin²(Δλ/2), which rises with the great-circle distance (Sinnott, 1984)."""
    (lat, lon), (their_lat, their_lon) = (
        [f"radians({end}.{quoted(str(name))})" for name in own] for end, own in ((one, names), (other, theirs))
    )
    halves = [f"sin(({a} - {b}) / 2)" for a, b in ((their_lat, lat), (their_lon, lon))]
    return f"({halves[0]} * {halves[0]} + cos({lat}) * cos({their_lat}) * {halves[1]} * {halves[1]})"


register("near", near_rules)
