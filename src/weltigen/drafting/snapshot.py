"""What a model was when a world file was drafted: kept in a small file beside it, to tell later changes."""

from __future__ import annotations

import json
from dataclasses import dataclass, field

from ..model import Entity, Field, World

ENDING = ".drafted"  # behind the whole name of the world file


@dataclass(frozen=True, slots=True, kw_only=True)
class FieldSnapshot:
    """`type` as SQL writes it; `values` are those of an enumeration."""

    type: str
    nullable: bool = True
    default: bool = False
    values: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True, kw_only=True)
class EntitySnapshot:
    """References are (columns, target) pairs, unique rules their texts, checks their expressions."""

    fields: dict[str, FieldSnapshot]
    key: tuple[str, ...] = ()
    unique: tuple[str, ...] = ()
    checks: tuple[str, ...] = ()
    references: tuple[tuple[str, str], ...] = ()


@dataclass(frozen=True, slots=True, kw_only=True)
class Snapshot:
    entities: dict[str, EntitySnapshot] = field(default_factory=dict)


def snapshot_of(world: World) -> Snapshot:
    """Only what was declared: guessed relationships are not part of it."""
    return Snapshot(entities={entity.name: _entity(entity) for entity in world.entities})


def _entity(entity: Entity) -> EntitySnapshot:
    return EntitySnapshot(
        fields={f.name: _field(f) for f in entity.fields},
        key=entity.key,
        unique=tuple(sorted(map(str, entity.uniques))),
        checks=tuple(sorted(check.expression for check in entity.checks)),
        references=tuple(sorted(("+".join(r.columns), r.target) for r in entity.relations if r.guess is None)),
    )


def _field(declared: Field) -> FieldSnapshot:
    has_default = declared.default is not None or declared.identity or declared.generated is not None
    return FieldSnapshot(type=str(declared.type), nullable=declared.nullable, default=has_default, values=declared.type.values)


def write_snapshot(snapshot: Snapshot) -> str:
    """One entity a line, as JSON, so that any name survives and a change of the model is a change of few lines."""
    lines = []
    for name, entity in snapshot.entities.items():
        plain = {
            "entity": name, "key": entity.key, "unique": entity.unique, "checks": entity.checks, "references": entity.references,
            "fields": {f: _terse(known) for f, known in entity.fields.items()},
        }  # fmt: skip
        lines.append(json.dumps({k: v for k, v in plain.items() if v}, ensure_ascii=False))
    return "\n".join(lines) + "\n"


def _terse(known: FieldSnapshot) -> list[object]:
    flags = ("" if known.nullable else "not null") + (" default" if known.default else "")
    return [known.type, flags.strip(), *known.values]


def read_snapshot(text: str) -> Snapshot | None:
    """The snapshot that such a text holds; None where it holds none that can be read."""
    entities = {}
    for line in filter(str.strip, text.splitlines()):
        try:
            plain = json.loads(line)
            entities[str(plain["entity"])] = EntitySnapshot(
                fields={name: _read_field(terse) for name, terse in plain.get("fields", {}).items()},
                key=tuple(plain.get("key", ())), unique=tuple(plain.get("unique", ())), checks=tuple(plain.get("checks", ())),
                references=tuple((a, b) for a, b in plain.get("references", ())),
            )  # fmt: skip
        except (ValueError, KeyError, TypeError, AttributeError, RecursionError):
            return None
    return Snapshot(entities=entities) if entities else None


def _read_field(terse: list[str]) -> FieldSnapshot:
    return FieldSnapshot(
        type=terse[0], nullable="not null" not in terse[1], default="default" in terse[1], values=tuple(terse[2:])
    )
