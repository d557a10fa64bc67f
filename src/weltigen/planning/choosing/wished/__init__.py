"""Ways of choosing targets that are asked for by name, one file each; importing one registers it."""

from .choice import CHOICES, Choose, register

__all__ = ["CHOICES", "Choose", "register"]
