"""The passes of planning, in order: each makes a new plan out of the last."""

from ..plan.entity import EntityPlan
from ..plan.plan import Plan
from .above import Pass, plan_above
from .choosing.picking import choose_targets
from .counting.counts import count_rows
from .making.fields import prepare_fields
from .making.filling import choose_fillers
from .making.rooms import make_room
from .order import order_entities
from .references import resolve_references
from .ruling.layout import lay_out_rules
from .ruling.proofs import prove_feasible
from .ruling.settling import settle_checks


def count_all_rows(plan: Plan) -> Plan:
    """Counting looks at the rows of entities above, which all passes plan apart."""

    def above(plan: Plan, entity_plan: EntityPlan) -> Plan:
        return plan_above(plan, entity_plan, PASSES)

    return count_rows(plan, above)


PASSES: tuple[Pass, ...] = (
    resolve_references, order_entities, count_all_rows, make_room, prepare_fields, lay_out_rules, choose_targets, choose_fillers,
    settle_checks, prove_feasible,
)  # fmt: skip
# what comes after these cannot make sense of a model that does not hold together
SOUND_UP_TO: tuple[Pass, ...] = (order_entities,)
