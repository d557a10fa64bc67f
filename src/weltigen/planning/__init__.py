"""World in, plan out: the passes, proofs of impossibility, what a change moves, in which order rows can be deleted."""

from .comparing import Moved, declared_apart, moved_fields
from .delete_order import DeleteOrder, delete_order_of
from .make_plan import check_row_counts, make_plan, next_plan, with_runtime_problems
from .passes import PASSES

__all__ = [
    "PASSES", "DeleteOrder", "Moved", "check_row_counts", "declared_apart", "delete_order_of", "make_plan",
    "moved_fields", "next_plan", "with_runtime_problems",
]  # fmt: skip
