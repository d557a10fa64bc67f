"""Rows made from a plan, at any ordinals: the runtime. It knows the plan, and nothing of how that was made."""

from .members import indexes_of
from .rows import Rows
from .runtime import PlanRuntime
from .strata import strata_of
from .verifying import verify

__all__ = ["PlanRuntime", "Rows", "indexes_of", "strata_of", "verify"]
