"""World files written from a model: every guess spelled out; and, over an edited file, only what has changed since."""

from .changes import Change, changes_between
from .draft import Draft, draft_world
from .snapshot import ENDING, Snapshot, read_snapshot, snapshot_of

__all__ = ["ENDING", "Change", "Draft", "Snapshot", "changes_between", "draft_world", "read_snapshot", "snapshot_of"]
