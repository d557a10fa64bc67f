"""What a source leaves open: kinds of value by name and type, and checks turned into limits. Every guess has a reason."""

from ..model import World
from .checks import understand_checks
from .kinds import guess_kinds


def infer(world: World) -> World:
    """The world with its checks understood and every field's kind guessed where nobody said one."""
    return guess_kinds(understand_checks(world))


__all__ = ["guess_kinds", "infer", "understand_checks"]
