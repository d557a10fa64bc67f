"""Columns as unique rules compare them: by the collation of the field, or by an index over lower(…)."""

from __future__ import annotations

from typing import Any

import pyarrow as pa
import pyarrow.compute as pc

from ..model.folding import Fold, fold_of
from .entity import EntityPlan
from .plan import Plan


def fold_in_rules(plan: Plan, entity_plan: EntityPlan, name: str) -> Fold:
    """How the unique rules of an entity compare a field; exactly where none holds it."""
    entity = entity_plan.entity
    rules = (*entity.unique_rules, *(reduced.rule for reduced in entity_plan.reduced))
    if not any(name in rule.columns for rule in rules):
        return Fold.EXACT
    field = entity.field(name)
    fold = fold_of(field.type, field.collation, plan.world.dialect)
    return max(fold, Fold.CASE) if any(name in reduced.folded for reduced in entity_plan.reduced) else fold


def folded_column(column: Any, fold: Fold) -> Any:
    """The texts of an Arrow column as they are compared."""
    if fold is Fold.EXACT or not pa.types.is_string(column.type):
        return column
    if fold >= Fold.ACCENTS:
        column = pc.replace_substring_regex(pc.utf8_normalize(column, form="NFKD"), r"\p{Mn}+", "")
    if fold >= Fold.CASE:
        column = pc.utf8_lower(column)
    return pc.utf8_rtrim(column, characters=" ")
