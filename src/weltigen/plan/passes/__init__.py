"""The passes of planning, in order: each makes a new plan out of the last."""

from .choosing.picking import choose_targets
from .counting.counts import count_rows
from .limits import read_window
from .making.fields import prepare_fields
from .making.filling import choose_fillers
from .making.rooms import make_room
from .order import order_entities
from .references import resolve_references
from .ruling.layout import lay_out_rules
from .ruling.proofs import prove_feasible
from .ruling.settling import settle_checks

PASSES = (
    resolve_references, order_entities, count_rows, make_room, prepare_fields, lay_out_rules, choose_targets, choose_fillers,
    settle_checks, prove_feasible,
)  # fmt: skip
# what comes after these cannot make sense of a model that does not hold together
SOUND_UP_TO = (order_entities,)

__all__ = ["PASSES", "SOUND_UP_TO", "read_window"]
