"""Checks that read one field of the row and nothing else: what they let pass can be seen before any row is made."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from numpy.typing import NDArray

from ..expression import Expression, NotEvaluableError, parse
from ..expression.comparing import as_compared
from ..model import Check, Entity
from ..model.origins import Status

_NONE: Mapping[str, tuple[OwnCheck, ...]] = {}


@dataclass(frozen=True, slots=True)
class OwnCheck:
    """A check with its expression."""

    check: Check
    expression: Expression

    def keeps(self, column: Any) -> NDArray[np.bool_]:
        """Which values pass; null does. NotEvaluableError where it makes no sense of them."""
        truth = self.expression.evaluate(lambda _: column, len(column))
        if not pa.types.is_boolean(truth.type):
            if pa.types.is_null(truth.type):
                return np.ones(len(column), bool)
            raise NotEvaluableError(f"'{self.expression.text}' is not a condition")
        return np.asarray(pc.fill_null(truth, True))


def own_checks(entity: Entity) -> Mapping[str, tuple[OwnCheck, ...]]:
    """The checks of an entity that read one field alone, by its name."""
    if not entity.checks:
        return _NONE
    names = {name.lower(): name for name in entity.field_names}
    out: dict[str, tuple[OwnCheck, ...]] = {}
    for check in entity.checks:
        if check.status is Status.UNREADABLE:
            continue
        try:
            expression = parse(check.expression, check.dialect)
        except NotEvaluableError:
            continue
        read = {names.get(path.lower()) for path in expression.paths}
        if len(read) == 1 and not expression.aggregates and (name := read.pop()) is not None:
            field = entity.field(name)
            expression = as_compared(expression, check.dialect, lambda _, field=field: field)  # type: ignore[misc]
            out[name] = (*out.get(name, ()), OwnCheck(check, expression))
    return out
