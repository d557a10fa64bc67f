"""What a plan keeps in memory that grows with its rows: how much, and why it must be."""

from __future__ import annotations

from ...plan import Plan
from ...plan.fields import Computed
from ...rows import indexes_of

_LARGE = 1_000_000  # bytes from which an index is named on its own
_WORTH_SAYING = 100_000  # bytes from which smaller ones are told together


def kept_in_memory(plan: Plan) -> list[str]:
    """Entities whose rows are worked out beforehand: what that costs, and why it must be."""
    texts = []
    for name in plan.order:
        if (precomputed := plan.entities[name].precomputed) is not None:
            size = (
                precomputed.bytes_a_row * plan.entities[name].total
                + 8 * len(precomputed.beside) * plan.entities[name].earlier_rows
            )
            texts.append(f"{name}: {_size(size)} for choices made beforehand, since {precomputed.because}")
    indexes = [(size, name, relation) for name in plan.order for relation, size in indexes_of(plan, plan.entities[name])]
    texts += [
        f"{name}.{relation.name}: {_size(size)} for an index of the {relation.target} rows to which it may refer"
        for size, name, relation in indexes if size >= _LARGE
    ]  # fmt: skip
    for name in plan.order:
        for relation_name, reference in plan.entities[name].references.items():
            if (kept := reference.way.bytes_kept) >= _WORTH_SAYING:
                texts.append(
                    f"{name}.{relation_name}: {_size(kept)}, since it is {reference.way.explained(plan.entities[name].entity)}"
                )
    texts += _looked_through(plan)
    small = [size for size, _, _ in indexes if size < _LARGE]
    if sum(small) >= _WORTH_SAYING:
        texts.append(f"{_size(sum(small))} for {len(small)} index{'es' if len(small) > 1 else ''} of rows that agree")
    return texts


def _looked_through(plan: Plan) -> list[str]:
    """What is found by going through all rows of an entity once, and kept."""
    texts = []
    for name in plan.order:
        entity_plan = plan.entities[name]
        owner = entity_plan.entity.relation(entity_plan.owner.relation).columns if entity_plan.owner is not None else ()
        texts += [
            f"{name}: {_size(entity_plan.total)} for {reduced.rule}, of whose rows only one may keep it"
            for reduced in entity_plan.conditional if set(reduced.rule.columns) != set(owner) or entity_plan.fixed
        ]  # fmt: skip
        for field, field_plan in entity_plan.fields.items():
            formulas = [field_plan.way.formula] if isinstance(field_plan.way, Computed) else []
            for one in (one for formula in formulas for one in formula.aggregates.values()):
                if not plan.entities[one.relation.entity].references[one.relation.name].finds_blocks:
                    texts.append(
                        f"{name}.{field}: {_size(16 * entity_plan.total)} for {one.text}, whose rows are gone through once"
                    )
    return texts


def _size(size: int) -> str:
    return f"{size / 1e6:,.0f} MB" if size >= 1e6 else f"{max(1, round(size / 1e3)):,} kB"
