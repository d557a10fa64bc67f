"""Ways of choosing targets that are asked for by name, one file each; importing one registers it."""

from . import near
from .choice import CHOICES, Choose, register

__all__ = ["CHOICES", "Choose", "register"]
