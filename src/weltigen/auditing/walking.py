"""Rules about states over time: a history begins as it may, goes on by allowed steps, and ends in the row's own state."""

from __future__ import annotations

from collections.abc import Iterator

from ..model import Entity, States, World
from ..model.histories import HistoryColumns, history_columns
from ..stored.names import literal, quoted
from ..stored.stores.store import Store
from .rule import SetRule


def walking_rules(world: World, entity: Entity, store: Store) -> Iterator[SetRule]:
    """The rules of an entity with states; none where its history, or a column of it, is not stored."""
    states = entity.states
    if states is None or not world.has(states.history):
        return
    history = world.entity(states.history)
    told, stored = history_columns(entity, history), store.columns(history)
    if not isinstance(told, HistoryColumns) or stored is None or not {told.state, told.at} <= set(stored):
        return
    relation = history.relation(told.relation)
    keys = ", ".join(quoted(column) for column in relation.columns)
    order = ", ".join(map(quoted, (told.at, *history.key)))
    state, at = quoted(told.state), quoted(told.at)
    over = f"OVER (PARTITION BY {keys} ORDER BY {order})"
    shown = tuple(dict.fromkeys((*history.key, *relation.columns)))
    listed = ", ".join(map(quoted, shown))
    steps = f"(SELECT *, lag({state}) {over} AS earlier_state FROM {store.table(history)}) AS steps"
    yield SetRule(
        kind="states", text=f"{told.state} follows the steps of {entity.name}.{states.field}",
        query=f"SELECT {listed}, earlier_state, {state} FROM {steps} WHERE NOT coalesce({_allowed(states, state)}, 1 = 0)",
        shown=(*shown, "before", told.state), keys=len(history.key),
    )  # fmt: skip
    own = ", ".join(f"this.{quoted(column)}" for column in (entity.key or relation.target_columns))
    on = " AND ".join(
        f"this.{quoted(b)} = last.{quoted(a)}" for a, b in zip(relation.columns, relation.target_columns, strict=True)
    )
    backwards = ", ".join(f"{part} DESC" for part in order.split(", "))
    last = f"(SELECT *, row_number() OVER (PARTITION BY {keys} ORDER BY {backwards}) AS back FROM {store.table(history)}) AS last"
    mine = store.as_text(f"this.{quoted(states.field)}", entity.field(states.field).type)
    theirs = store.as_text(f"last.{state}", history.field(told.state).type)
    yield SetRule(
        kind="states", text=f"{states.field} is the last {told.state} in its {history.name}",
        query=f"SELECT {own}, {mine}, {theirs} FROM {store.table(entity)} AS this LEFT JOIN {last} ON {on} AND back = 1"
              f" WHERE {mine} <> {theirs} OR ({mine} IS NULL) <> ({theirs} IS NULL)",
        shown=(*(entity.key or relation.target_columns), states.field, "last"), keys=len(entity.key or relation.target_columns),
    )  # fmt: skip
    if len(history.key) == 1:  # rows that count up are written as they happen
        by_key = f"lag({at}) OVER (PARTITION BY {keys} ORDER BY {quoted(history.key[0])})"
        yield SetRule(
            kind="states", text=f"{told.at} rises within each {entity.name}",
            query=f"SELECT {listed}, {at} FROM (SELECT *, {by_key} AS earlier FROM {store.table(history)}) AS moments"
                  f" WHERE {at} < earlier",
            shown=(*shown, told.at), keys=1,
        )  # fmt: skip


def _allowed(states: States, column: str) -> str:
    first = ", ".join(literal(name) for name, weight in states.start if weight > 0)
    parts = [f"(earlier_state IS NULL AND {column} IN ({first}))"]
    for state, onward in states.steps:
        to = [literal(name) for name, weight in onward if weight > 0 and name != state]
        if to:
            parts.append(f"(earlier_state = {literal(state)} AND {column} IN ({', '.join(to)}))")
    return f"({' OR '.join(parts)})"
