"""Record batches into files and databases: all or nothing, and never over what is there."""

from .handling import COMPLETE, ON_ROWS, WITHDRAW, Handling
from .opening import open_target
from .run import Progress, fill
from .target import Intent, Target

__all__ = ["COMPLETE", "ON_ROWS", "WITHDRAW", "Handling", "Intent", "Progress", "Target", "fill", "open_target"]
