"""The receipt: what a run leaves behind so that it can be made again. It holds no time of day, so it repeats too."""

from __future__ import annotations

import json
import platform
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from hashlib import blake2b
from importlib.metadata import version
from pathlib import Path
from typing import Any

from ..model import FORMAT
from .digests import entity_digest


@dataclass(frozen=True, slots=True, kw_only=True)
class StageReceipt:
    """What one stage made: counts and digests by entity, in fill order, and what it was asked for."""

    asked: Mapping[str, int]
    times: float
    overrides: Mapping[str, str | None]
    only: tuple[str, ...] = ()  # where not all rows were written: those that were asked for
    rows: Mapping[str, int]
    digests: Mapping[str, str]

    @classmethod
    def read(cls, told: Mapping[str, Any]) -> StageReceipt:
        """KeyError, TypeError or ValueError where a receipt tells something else."""
        entities = {str(name): (int(one["rows"]), str(one["digest"])) for name, one in told["entities"].items()}
        return cls(
            asked={str(name): int(rows) for name, rows in told["asked"].items()}, times=float(told["times"]),
            overrides=dict(told.get("set", {})), only=tuple(map(str, told.get("only", ()))),
            rows={name: rows for name, (rows, _) in entities.items()},
            digests={name: digest for name, (_, digest) in entities.items()},
        )  # fmt: skip

    def to_json(self) -> dict[str, Any]:
        entities = {name: {"rows": self.rows[name], "digest": self.digests[name]} for name in self.rows}
        overrides = {"set": dict(self.overrides)} if self.overrides else {}
        only = {"only": list(self.only)} if self.only else {}
        return {"times": self.times, "asked": dict(self.asked), **overrides, **only, "entities": entities}


@dataclass(frozen=True, slots=True, kw_only=True)
class Receipt:
    """What stands at a target, stage by stage; usually there is one. `world` is the model as JSON, which readers open."""

    world: Mapping[str, Any]
    seed: int
    now: str
    parts: tuple[StageReceipt, ...]
    files: Mapping[str, str] = field(default_factory=dict)  # of a folder: which file is whose
    passwords: Mapping[str, str] = field(default_factory=dict)  # by `entity.field`: what somebody logs in with
    notes: tuple[str, ...] = ()  # what of the model the place cannot express; for whoever asked, and not written down
    versions: Mapping[str, str] = field(default_factory=lambda: _versions())

    @classmethod
    def read(cls, text: str) -> Receipt:
        """ValueError, KeyError or TypeError where a text tells something else."""
        told = json.loads(text)
        parts = tuple(StageReceipt.read(part) for part in (told, *told.get("later", ())))
        return cls(
            world=told.get("world", {}),
            seed=int(told["seed"]),
            now=str(told["now"]),
            parts=parts,
            files=dict(told.get("files", {})),
            passwords=dict(told.get("passwords", {})),
            versions=told.get("versions", {}),
        )

    @property
    def rows(self) -> dict[str, int]:
        """Rows by entity, of all stages."""
        return {name: sum(part.rows.get(name, 0) for part in self.parts) for name in self.parts[0].rows}

    @property
    def digests(self) -> dict[str, str]:
        """Content digests by entity; over those of the stages where several made rows of it."""
        return {name: joined_digest([p.digests[name] for p in self.parts if name in p.digests]) for name in self.parts[0].rows}

    @property
    def total(self) -> int:
        return sum(self.rows.values())

    @property
    def digest(self) -> str:
        """One digest of the whole dataset: of the entities' names and digests, in the order of their names."""
        whole, digests = blake2b(digest_size=16), self.digests
        for name in sorted(digests):
            whole.update(f"{name}\x1f{digests[name]}\x1f".encode())
        return whole.hexdigest()

    def summary(self) -> dict[str, Any]:
        """Plain values: what was made, without the model."""
        first, *later = [part.to_json() for part in self.parts]
        head = {"format": FORMAT, "seed": self.seed, "now": self.now}
        passwords = {"passwords": dict(self.passwords)} if self.passwords else {}
        return {**head, **passwords, **first, "digest": self.digest, **({"later": later} if later else {})}

    def to_json(self) -> str:
        """The whole receipt with versions and model, as JSON: an entity of the model stands on a line."""
        files = {"files": dict(self.files)} if self.files else {}
        whole = {**self.summary(), **files, "versions": dict(self.versions), "world": self.world}
        return _laid_out(whole, 3) + "\n"


def _laid_out(value: Any, levels: int, indent: str = "\n") -> str:
    """JSON of which the outer levels have a line for each member. Indenting all of it takes most of a short run's time."""
    inner, ends = f"{indent} ", "{}" if isinstance(value, dict) else "[]"
    if not levels or not value or not isinstance(value, dict | list | tuple):
        return json.dumps(value, ensure_ascii=False)
    if isinstance(value, dict):
        parts = [f"{json.dumps(name, ensure_ascii=False)}: {_laid_out(one, levels - 1, inner)}" for name, one in value.items()]
    else:
        parts = [_laid_out(one, levels - 1, inner) for one in value]
    return f"{ends[0]}{inner}{f',{inner}'.join(parts)}{indent}{ends[1]}"


def without_others(receipt: Receipt) -> Receipt:
    """A receipt without rows that others wrote."""
    entities = [
        {**entity, "fixed": entity["fixed"][entity["there"] :]} if entity.get("there") else entity
        for entity in receipt.world.get("entities", ())
    ]
    return replace(receipt, world={**receipt.world, "entities": entities})


def joined_digest(digests: list[str]) -> str:
    """The digest of rows that several stages made; of one, its own."""
    return digests[0] if len(digests) == 1 else entity_digest(map(bytes.fromhex, digests))


def _versions() -> dict[str, str]:
    versions = {"weltigen": version("weltigen"), "python": platform.python_version()}
    return versions | {name: version(name) for name in ("numpy", "pyarrow")}


def receipt_path(target: str | Path) -> Path:
    """Where the receipt of a folder or a file lies."""
    path = Path(target)
    return path / "receipt.json" if path.is_dir() else path.with_name(f"{path.name}.receipt.json")


def receipt_at(target: str | Path) -> Receipt | None:
    """The receipt of a folder or a file; None where there is none, or it tells something else."""
    try:
        return Receipt.read(receipt_path(target).read_text("utf-8"))
    except (OSError, ValueError, KeyError, TypeError, AttributeError):
        return None
