"""Pass: the layout of unique rules. Rules are met by arithmetic on digits, never by remembering what was used.

Every reference and every free field of a rule is a digit with a radix: the rows of the target, or the values that the
field can take. Rules that share digits form a component. What all of them share is its core; what is left of each is a
petal. Rows of one core group take different positions in each petal's space, so they differ in every rule.
"""

from __future__ import annotations

from dataclasses import replace

from ...model import Entity, Problem, Unique
from ...randomness import Bits
from ...values import FromText, PersonPart, Values
from ..plan import Component, Digit, EntityPlan, Plan


def lay_out_rules(plan: Plan) -> Plan:
    for name in plan.order:
        entity_plan = plan.entities[name]
        components, problems = _components(plan, entity_plan)
        notes = [f"{name}: {rule} is not kept yet: rows may break it" for rule in entity_plan.entity.rules_not_kept]
        plan = replace(plan, notes=(*plan.notes, *notes))
        plan = plan.with_entity(replace(entity_plan, components=components)).with_problems(problems)
    return plan


def _components(plan: Plan, entity_plan: EntityPlan) -> tuple[tuple[Component, ...], list[Problem]]:
    entity = entity_plan.entity
    problems: list[Problem] = []
    rules: list[tuple[Unique, dict[str, Digit]]] = []
    for rule in entity.unique_rules:
        digits = _digits(plan, entity_plan, rule, problems)
        if digits is not None:
            rules.append((rule, digits))
    # a rule that holds another one whole is met by it
    rules = [r for r in rules if not any(o is not r and set(o[1]) < set(r[1]) for o in rules)]
    owner = entity_plan.owner.relation if entity_plan.owner else None
    components = []
    for group in _connected(rules, owner):
        component = _component(plan, entity, [r for r, _ in group], [d for _, d in group], owner, problems)
        if component is not None:
            components.append(component)
    return tuple(components), problems


def _digits(plan: Plan, entity_plan: EntityPlan, rule: Unique, problems: list[Problem]) -> dict[str, Digit] | None:
    """The digits of a rule by name; None where one of its columns alone keeps it."""
    entity = entity_plan.entity
    digits: dict[str, Digit] = {}
    left = list(rule.columns)
    for relation in entity.relations:
        covered = [column for column in relation.columns if column in rule.columns]
        if not covered:
            continue
        if len(covered) < len(relation.columns):
            problems.append(Problem(
                fact=f"{entity.name}: {rule} holds a part of the reference to {relation.target} ({', '.join(relation.columns)})",
                place=rule.place, hint="a rule that cuts through a composite reference is not supported yet",
            ))  # fmt: skip
            return None
        left = [column for column in left if column not in covered]
        radix = plan.entities[relation.target].total if relation.target != entity.name else entity_plan.total
        if relation.unlike is not None and set(entity.relation(relation.unlike).columns) <= set(rule.columns):
            radix -= 1  # the digit is the distance from the other reference, which is never 0
        digits[relation.name] = Digit(name=relation.name, relation=True, radix=max(1, radix))
    for column in left:
        field = entity_plan.fields.get(column)
        if field is None or field.counts_up:
            return None
        prepared = field.prepared
        if prepared is None and field.constant is None:
            return None  # the field is impossible in itself, which is told already
        if isinstance(prepared, PersonPart) and prepared.distinct:
            return None
        if isinstance(prepared, FromText):
            if _folds_apart(entity_plan, prepared.field):
                return None
            problems.append(
                _not_distinct(entity, column, rule, f"it is made from {prepared.field}, whose values may fold to the same")
            )
            return None
        if not isinstance(prepared, Values):
            space = 1
            if isinstance(prepared, PersonPart):
                problems.append(_not_distinct(entity, column, rule, "people's names repeat"))
                return None
        else:
            space = prepared.space
        if field.moving or field.shape is not None:
            problems.append(_not_distinct(entity, column, rule, "its values follow other cells, or a shape"))
            return None
        rising = isinstance(prepared, Values) and prepared.rising
        digits[column] = Digit(name=column, relation=False, radix=space, rising=rising)
    return digits


def _folds_apart(entity_plan: EntityPlan, source: str) -> bool:
    """Whether a text column holds values that stay different when folded."""
    field = entity_plan.fields.get(source)
    unique = any(rule.columns == (source,) for rule in entity_plan.entity.unique_rules)
    return unique and field is not None and isinstance(field.prepared, Values) and field.prepared.distinct_folded


def _not_distinct(entity: Entity, column: str, rule: Unique, why: str) -> Problem:
    hint = "another column of the rule must differ, or give this one a kind or a pattern of its own"
    return Problem(fact=f"{entity.name}: {rule} cannot be kept by {column}: {why}", place=rule.place, hint=hint)


def _connected(rules: list[tuple[Unique, dict[str, Digit]]], owner: str | None) -> list[list[tuple[Unique, dict[str, Digit]]]]:
    """Rules joined by digits that they share, the owner aside."""
    groups: list[list[tuple[Unique, dict[str, Digit]]]] = []
    for rule in rules:
        names = set(rule[1]) - {owner}
        touching = [group for group in groups if any(names & (set(other[1]) - {owner}) for other in group)]
        groups = [group for group in groups if group not in touching]
        groups.append([member for group in touching for member in group] + [rule])
    return groups


def _component(
    plan: Plan,
    entity: Entity,
    rules: list[Unique],
    digit_sets: list[dict[str, Digit]],
    owner: str | None,
    problems: list[Problem],
) -> Component | None:
    names = [set(digits) for digits in digit_sets]
    within = owner is not None and all(owner in own for own in names)
    shared = set.intersection(*names) if len(names) > 1 else set()
    core = shared - {owner}
    rest = [own - shared - {owner} for own in names]
    overlap = any(a & b for i, a in enumerate(rest) for b in rest[i + 1 :])
    if overlap or (owner is not None and not within and any(owner in own for own in names)):
        problems.append(Problem(
            fact=f"{entity.name}: {' and '.join(map(str, rules))} overlap in a way that cannot be laid out yet",
            place=rules[-1].place, hint="drop one of them, or split the shared columns",
        ))  # fmt: skip
        return None
    if any(not own for own in rest):
        # only the owner is left: at most one row for each owner keeps it, which the proofs look at
        rest = [own for own in rest if own]
    by_name = {name: digit for digits in digit_sets for name, digit in digits.items()}
    ordered = [tuple(by_name[n] for n in digits if n in own) for digits, own in zip(digit_sets, rest, strict=False)]
    label = "+".join(sorted(set().union(*names)))
    return Component(
        rules=tuple(map(str, rules)), within_owner=within, core=tuple(by_name[n] for n in sorted(core)),
        petals=tuple(ordered), bits=Bits(plan.seed, entity.name, label, "unique"),
    )  # fmt: skip
