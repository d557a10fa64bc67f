"""The passes of planning, in order: each makes a new plan out of the last."""

from .counts import count_rows
from .fields import prepare_fields
from .filling import choose_fillers
from .layout import lay_out_rules
from .limits import read_window
from .order import order_entities
from .picking import choose_targets
from .proofs import prove_feasible
from .references import resolve_references
from .rooms import make_room
from .settling import settle_checks

PASSES = (
    resolve_references, order_entities, count_rows, make_room, prepare_fields, lay_out_rules, choose_targets, choose_fillers,
    settle_checks, prove_feasible,
)  # fmt: skip
# what comes after these cannot make sense of a model that does not hold together
SOUND_UP_TO = (order_entities,)

__all__ = ["PASSES", "SOUND_UP_TO", "read_window"]
