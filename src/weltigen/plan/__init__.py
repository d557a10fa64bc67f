"""What was decided: frozen values, and functions that fill columns, written against `ports`. Nothing here makes a row."""

from .entity import EntityPlan
from .formulas import Formula, bind
from .plan import Plan
from .stages import first_row, together

__all__ = ["EntityPlan", "Formula", "Plan", "bind", "first_row", "together"]
