"""Record batches into files and databases: all or nothing, and never over what is there."""

from .run import Progress, fill
from .target import Target, open_target

__all__ = ["Progress", "Target", "fill", "open_target"]
