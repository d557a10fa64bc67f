"""The receipt: what a run leaves behind so that it can be told again. It holds no time of day, so it repeats too."""

from __future__ import annotations

import json
import platform
from collections.abc import Mapping
from dataclasses import dataclass
from hashlib import blake2b
from importlib.metadata import version
from typing import Any

from ..model import FORMAT
from ..plan import Plan
from ..readers import world_to_json


@dataclass(frozen=True, slots=True, kw_only=True)
class Receipt:
    """Counts and digests by entity, in fill order, with what they were made from."""

    plan: Plan
    rows: Mapping[str, int]
    digests: Mapping[str, str]

    @property
    def total(self) -> int:
        return sum(self.rows.values())

    @property
    def digest(self) -> str:
        """One digest of the whole dataset: of the entities' names and digests, in the order of their names."""
        whole = blake2b(digest_size=16)
        for name in sorted(self.digests):
            whole.update(f"{name}\x1f{self.digests[name]}\x1f".encode())
        return whole.hexdigest()

    def summary(self) -> dict[str, Any]:
        """Plain values: what was made, without the model."""
        plan = self.plan
        return {
            "format": FORMAT,
            "seed": plan.seed,
            "now": plan.now.isoformat(),
            "times": plan.times,
            "asked": dict(plan.asked),
            "digest": self.digest,
            "entities": {name: {"rows": self.rows[name], "digest": self.digests[name]} for name in self.rows},
        }

    def to_json(self) -> str:
        """The whole receipt with versions and model, as indented JSON."""
        versions = {"weltigen": version("weltigen"), "python": platform.python_version()}
        versions |= {name: version(name) for name in ("numpy", "pyarrow")}
        whole = {**self.summary(), "versions": versions, "world": world_to_json(self.plan.world)}
        return json.dumps(whole, indent=1, ensure_ascii=False) + "\n"
