"""What is declared: frozen values, no input or output."""

from .constraints import Check, Unique
from .entities import Cohort, Entity, FixedRow, PerOwner, PerPair, RowCount, RowFormula
from .fields import (
    Allowed,
    Bound,
    Case,
    CasesSource,
    ComputeSource,
    ConstSource,
    Field,
    Follow,
    Guess,
    KindSource,
    Limits,
    PatternSource,
    Present,
    ShapeSource,
    Source,
    WeightsSource,
)
from .problems import Place, Problem, WeltigenError
from .relations import EVEN, Favour, OnDelete, Relation, Same, Spread, Tree
from .types import FieldType, TypeName
from .world import FORMAT, Notice, World

__all__ = [
    "EVEN",
    "FORMAT",
    "Allowed",
    "Bound",
    "Case",
    "CasesSource",
    "Check",
    "Cohort",
    "ComputeSource",
    "ConstSource",
    "Entity",
    "Favour",
    "Field",
    "FieldType",
    "FixedRow",
    "Follow",
    "Guess",
    "KindSource",
    "Limits",
    "Notice",
    "OnDelete",
    "PatternSource",
    "PerOwner",
    "PerPair",
    "Place",
    "Present",
    "Problem",
    "Relation",
    "RowCount",
    "RowFormula",
    "Same",
    "ShapeSource",
    "Source",
    "Spread",
    "Tree",
    "TypeName",
    "Unique",
    "WeightsSource",
    "WeltigenError",
    "World",
]
