"""Ways of choosing targets, one file each; importing one registers it."""

from __future__ import annotations

from ..sections import Section
from . import near
from .choice import KEYS, READERS, Told, register

ChoiceKeys: type[Section] = type("ChoiceKeys", (*KEYS, Section), {"__doc__": "The keys of all ways of choosing."})

__all__ = ["READERS", "ChoiceKeys", "Told", "register"]
