"""Rules about ways of choosing targets, one file each; importing one registers it."""

from . import near
from .choice import choice_rules, register

__all__ = ["choice_rules", "register"]
