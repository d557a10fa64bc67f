"""Links: rules over two references whose ends have favourites, though each pair comes once."""

from __future__ import annotations

from dataclasses import replace

from ...model import EVEN, Favour
from ...plan.components import Component, Link
from ...plan.entity import EntityPlan
from ...plan.plan import Plan
from ...randomness import DistinctPicks, PopularitySplit, popularity
from ...randomness.distinct import MOST
from ..knowledge.favour import favour_of


def with_favourites(plan: Plan, entity_plan: EntityPlan, component: Component, owner: str | None) -> Component:
    """The component of a rule over two references, or the owner and one, with favourites where any are wished for or usual."""
    digits = [digit for petal in component.petals for digit in petal]
    plain = len(component.petals) == 1 and all(d.relation and not d.through for d in digits) and not entity_plan.fixed
    names = ([owner] if component.within_owner and owner else []) + [digit.name for digit in digits]
    if component.core or component.ancestors or not plain or len(names) != 2 or not entity_plan.generated:
        return component
    relations = [entity_plan.entity.relation(name) for name in names]
    if any(r.target == entity_plan.name or r.unlike is not None or r.above is not None for r in relations) or any(
        other.unlike in names or other.above in names for other in entity_plan.entity.relations
    ):
        return component
    favours = [favour_of(plan, relation) for relation in relations]
    if not component.within_owner and favours[1] != EVEN and favours[0] == EVEN:
        names, relations, favours = names[::-1], relations[::-1], favours[::-1]
    totals = [plan.entities[relation.target].total for relation in relations]
    if favours == [EVEN, EVEN] or (component.within_owner and favours[1] == EVEN) or not all(totals):
        return component
    split = None
    if component.within_owner:
        assert entity_plan.owner is not None
        most = entity_plan.owner.split.most
    else:
        split = _dealt(entity_plan, component, favours[0], totals)
        most = split.highest if split is not None else MOST + 1
    if most > min(MOST, totals[1]):
        return component
    few, take = (favours[1].few, favours[1].take) if favours[1] != EVEN else (1.0, 1.0)
    picks = DistinctPicks.build(totals[1], few, take, most, component.bits.for_purpose("picks").key)
    return replace(component, link=Link(first=names[0], second=names[1], picks=picks, split=split))


def _dealt(entity_plan: EntityPlan, component: Component, favour: Favour, totals: list[int]) -> PopularitySplit | None:
    """How many rows each row of the first target has: by its favour, as far as there are enough rows of the second."""
    rows, bits = entity_plan.total, component.bits
    keys = bits.for_purpose("owners").key, bits.for_purpose("children").key
    shares = popularity(favour.few, favour.take, totals[0])
    for most in (totals[1], totals[1] - 1):  # rounding may add one
        split = PopularitySplit.build(totals[0], rows, _no_more(shares, most * totals[0] / rows), *keys)
        if split.highest <= totals[1]:
            return split
    try:
        return PopularitySplit.between(totals[0], rows, 0, totals[1], keys)
    except ValueError:  # more rows than pairs, which the proofs tell
        return None


def _no_more(shares: list[tuple[float, float]], most: float) -> list[tuple[float, float]]:
    """Shares of which none takes more than `most` times its part of the owners; what is over goes to the others."""
    capped: set[int] = set()
    while True:
        fixed = sum(shares[i][0] * most for i in capped)
        open_ = sum(take for i, (_, take) in enumerate(shares) if i not in capped)
        scale = (1 - fixed) / open_ if open_ > 0 else 0.0
        over = {i for i, (few, take) in enumerate(shares) if i not in capped and take * scale > few * most * (1 + 1e-9)}
        if not over:
            return [(few, few * most if i in capped else take * scale) for i, (few, take) in enumerate(shares)]
        capped |= over
