"""Pass: the layout of unique rules. Rules are met by arithmetic on digits, never by remembering what was used.

Every reference and every free field of a rule is a digit with a radix: the rows of the target, or the values that the
field can take. Rules that share digits form a component. What all of them share is its core; what is left of each is a
petal. Rows of one core group take different positions in each petal's space, so they differ in every rule.
"""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from itertools import combinations
from math import prod

from ...expression import parse
from ...model import Entity, Problem, Relation, Unique
from ...model.changing import changed
from ...model.graphs import connected_groups
from ...plan.components import MOST_ROWS, Component, Digit, Precomputed, used_digits
from ...plan.entity import EntityPlan
from ...plan.plan import Plan
from ...plan.reduced import ReducedRule
from ...randomness import WIDEST, Bits
from ...randomness.pairs import pair_space
from ..knowledge.agreeing import agree, differs, is_chain, retried
from ..knowledge.digits import digits_of
from ..knowledge.keeping import is_apart
from ..making.demanding import conditional
from .links import with_favourites
from .promoting import decided_by, promoted
from .settled_checks import Laying, SettledCheck, demanded_together, settled_checks
from .siblings import of_siblings, told_apart_in_trees


def lay_out_rules(plan: Plan) -> Plan:
    laid: list[EntityPlan] = []
    problems: list[Problem] = []
    notes, conditions = list(plan.notes), conditional(plan.world)
    for name in plan.order:
        entity_plan = agree(plan, plan.entities[name])
        whole, partial, tabled = promoted(plan, entity_plan)
        components, precomputed, trouble = _components(plan, entity_plan, whole, conditions.get(name, []), tabled)
        going_on = {d.name for c in components if c.position_offset for petal in c.petals for d in petal}
        fields = {**entity_plan.fields, **{name: entity_plan.origin.fields[name] for name in going_on if entity_plan.origin}}
        laid.append(changed(entity_plan, components=components, precomputed=precomputed, conditional=partial, fields=fields))
        problems += trouble
    return replace(plan, notes=tuple(notes)).with_entities(laid).with_problems(problems)


Laid = tuple[Unique, dict[str, Digit]]
_MOST_FREE = 1 << 40  # the combinations of fields that a rule over agreeing references uses


@dataclass(slots=True)
class _Sorted:
    """The rules of an entity by how they are kept; `reasons` say why some are worked out beforehand."""

    easy: list[tuple[list[Laid], Component]] = field(default_factory=list)  # each by a layout of its own
    joined: list[Laid] = field(default_factory=list)  # by layouts that several may share
    hard: list[Laid] = field(default_factory=list)  # worked out beforehand
    reasons: list[str] = field(default_factory=list)


def _components(
    plan: Plan, entity_plan: EntityPlan, more: list[Unique], asking: list[Relation], tabled: list[ReducedRule]
) -> tuple[tuple[Component, ...], Precomputed | None, list[Problem]]:
    """Rules that arithmetic keeps, those that are worked out beforehand, and what neither can. `asking` are the references with
    conditions that go to the entity."""
    problems: list[Problem] = []
    rules = (*entity_plan.entity.unique_rules, *more)
    laid = [(rule, *digits_of(plan, entity_plan, rule, problems)) for rule in rules]
    settled = settled_checks(entity_plan, _needed(laid))
    checks = [one for one in settled if one.hard]
    found = _sorted(plan, entity_plan, laid, {name: str(one.check) for one in checks for name in one.names})
    names, shared = retried(plan, entity_plan, {name for _, component in found.easy for name in component.strata})
    found.reasons += [f"references must agree on {shared}"] if shared else []
    owner = entity_plan.owner.relation if entity_plan.owner else None
    _join(plan, entity_plan, found, owner)
    demanded = demanded_together(entity_plan, asking, _needed(laid))
    found.reasons += [f"some rows must be so that {one.check.expression}, for what refers to them" for one in demanded]
    names |= {name for one in checks for name in one.names if entity_plan.entity.has_relation(name)} - {owner}
    names |= {name for one in demanded for name in one.names}
    for reduced in tabled:
        digits, _ = digits_of(plan, entity_plan, reduced.rule, problems)
        found.hard.append((reduced.rule, digits or {}))
        found.reasons.append(f"{reduced.rule.stands_for} is about rows that references decide")
        names |= set(decided_by(entity_plan.entity, reduced.where or "")) - {owner}
    names |= _drawn_along(entity_plan, found, names, owner)
    while beside := [one for one in settled if one not in checks and one.names & names]:  # they read what is worked out
        checks += beside
        names |= {name for one in beside for name in one.names if entity_plan.entity.has_relation(name)} - {owner}
        names |= _drawn_along(entity_plan, found, names, owner)
    for relation in entity_plan.entity.relations:  # no chain of rows any more, so that a rule has to tell them apart
        if relation.name in names and is_chain(entity_plan.entity, relation):
            digit = Digit(name=relation.name, relation=True, radix=max(1, entity_plan.total))
            found.hard += [(rule, {relation.name: digit}) for rule in rules if set(rule.columns) <= set(relation.columns)]
    precomputed = (
        _precomputed(plan, entity_plan, found.hard, names, "; ".join(found.reasons), problems, checks)
        if names and found.reasons
        else None
    )
    if precomputed is not None and tabled:
        precomputed = replace(precomputed, conditions=tuple((one.rule, parse(one.where or "")) for one in tabled))
    if precomputed is not None and demanded:
        precomputed = replace(precomputed, demanded=tuple(one.expression for one in demanded))
    return tuple(component for _, component in found.easy), precomputed, problems


def _sorted(plan: Plan, entity_plan: EntityPlan, laid: list[Laying], checked: dict[str, str]) -> _Sorted:
    """`checked`: fields and references that a check reads together with nothing that could be drawn again."""
    unfit = _ordered_pairs(plan, entity_plan, laid)
    found = _Sorted()
    trees = told_apart_in_trees(entity_plan, laid)
    for rule, digits, cut in _needed(laid):
        assert digits is not None
        others = [name for other, theirs, _ in laid if other is not rule for name in theirs or ()]
        following = next((name for name in digits if name in entity_plan.candidate_filters), None)
        alone: Component | None = None
        if not is_apart(plan, entity_plan.entity, rule):
            alone = _going_on(entity_plan, rule, set(digits) & set(others))
            reason = f"{rule} holds beside rows of earlier stages"
        elif read := sorted(set(digits) & set(checked)):
            reason = f"{checked[read[0]]} reads {' and '.join(read)}, which rules keep apart"
        elif ordered := unfit & set(digits):
            reason = f"{rule} holds {' and '.join(sorted(ordered))}, of which one key is above another"
        elif tree := trees & set(digits):
            alone, reason = of_siblings(plan, entity_plan, rule, digits, min(tree)), ""
        elif cut:
            alone = _nested(plan, entity_plan, rule, digits)
            reason = f"{rule} cuts through the reference {cut}"
        elif following is not None:
            alone = _stratified(plan, entity_plan, rule, digits, others) or _nested(plan, entity_plan, rule, digits)
            reason = f"{rule} holds {following}, which agrees with another reference"
        else:
            found.joined.append((rule, digits))
            continue
        if alone is not None:
            found.easy.append(([(rule, digits)], alone))
        else:
            found.reasons.append(reason)
            found.hard.append((rule, digits))
    return found


def _needed(
    laid: list[Laying],
) -> list[Laying]:
    """The rules that must be laid out: one that holds another whole is met by it."""
    whole = [(set(rule.columns), set(digits)) for rule, digits, cut in laid if digits is not None and not cut]
    return [
        (rule, digits, cut) for rule, digits, cut in laid
        if digits is not None
        # a rule that cuts through a reference names it without holding all its columns
        and not any(names < set(digits) and (not cut or columns <= set(rule.columns)) for columns, names in whole)
    ]  # fmt: skip


def _join(plan: Plan, entity_plan: EntityPlan, found: _Sorted, owner: str | None) -> None:
    """One layout for each group of rules that share digits, where there is one; the owner joins no rules."""
    for group in connected_groups(found.joined, lambda laid: set(laid[1]) - {owner}):
        component = _component(plan, entity_plan.entity, [rule for rule, _ in group], [digits for _, digits in group], owner)
        if component is None:
            found.reasons.append(f"{' and '.join(str(rule) for rule, _ in group)} overlap")
            found.hard += group
        elif apart := _apart_in_petals(entity_plan.entity, component):
            found.reasons.append(f"{apart} must differ, and stand in different rules that overlap")
            found.hard += group
        elif _mixed(entity_plan, component):
            found.reasons.append(f"fixed rows stand beside generated ones under {component.rules[0]}")
            found.hard += group
        else:
            found.easy.append((group, with_favourites(plan, entity_plan, component, owner)))


def _drawn_along(entity_plan: EntityPlan, found: _Sorted, names: set[str], owner: str | None) -> set[str]:
    """All names that are worked out beforehand; layouts that any of them touches are drawn along."""
    names = names | {name for _, digits in found.hard for name in digits}
    while (
        leading := {
            one.leader
            for name in names
            if name in entity_plan.candidate_filters
            for one in entity_plan.candidate_filters[name].agreements
            if one.leader is not None
        }
        - names
        - {owner}
    ):  # what a reference follows is drawn before it
        names |= leading
    for relation in entity_plan.entity.relations:  # of two that must differ both are chosen together
        for other in (relation.unlike, relation.above):
            if other is not None and {relation.name, other} & names:
                names |= {relation.name, other}
    while touching := [e for e in found.easy if any((set(digits) - {owner}) & names for _, digits in e[0])]:
        found.easy = [e for e in found.easy if e not in touching]
        found.hard += [laid for group, _ in touching for laid in group]
        names |= {name for _, digits in found.hard for name in digits}
    return names


def _ordered_pairs(plan: Plan, entity_plan: EntityPlan, laid: list[Laying]) -> set[str]:
    """Lays out pairs of references, of which one goes to the greater key, as unordered pairs, where just one rule holds them.

    The others, whose rows are to be worked out, are given back.
    """
    entity, unfit = entity_plan.entity, set()
    for relation in entity.relations:
        if relation.above is None:
            continue
        names = {relation.name, relation.above}
        holding = [(digits, cut) for _, digits, cut in laid if digits is not None and names & set(digits)]
        settled = names & {*entity_plan.candidate_filters, entity_plan.owner.relation if entity_plan.owner else ""}
        settled |= {r.name for r in entity.relations if r.unlike and len(names & {r.name, r.unlike}) == 1}  # of a third
        if len(holding) != 1 or holding[0][1] or not names <= set(holding[0][0]) or settled:
            unfit |= names if holding else set()
            continue
        digits, strict = holding[0][0], differs(relation, entity.relation(relation.above))
        sides = pair_space(plan.entities[relation.target].total + (not strict))
        for name, side in zip((relation.above, relation.name), sides, strict=True):
            digits[name] = replace(digits[name], radix=max(1, side))
    return unfit


def _going_on(entity_plan: EntityPlan, rule: Unique, shared: set[str]) -> Component | None:
    """The layout of the first stage that had rows, where it has room for more: this one's take the positions behind."""
    origin, earlier = entity_plan.origin, entity_plan.earlier
    found = next((c for c in earlier.components if c.rules == (str(rule),)), None) if earlier is not None else None
    if origin is None or found is None or shared or found.within_owner or found.core or found.ancestors or found.strata:
        return None
    for petal in found.petals:
        used = used_digits(petal, origin.total)
        most = entity_plan.earlier_rows + entity_plan.total
        if used_digits(petal, most) != used or prod(digit.radix for digit in used[0]) < most:
            return None
        for digit in petal:
            then, now = origin.fields.get(digit.name), entity_plan.fields.get(digit.name)
            if digit.relation or digit.rising or then is None or now is None:
                return None
            if (then.field, then.low, then.high, then.step) != (now.field, now.low, now.high, now.step):
                return None
    return replace(found, position_offset=entity_plan.earlier_rows) if found.petals and found.link is None else None


def _nested(plan: Plan, entity_plan: EntityPlan, rule: Unique, digits: dict[str, Digit]) -> Component | None:
    """A rule within the owner of an owner: its rows are contiguous too, so each has a rank there. None for any other rule."""
    entity, at = entity_plan.entity, entity_plan
    fields = tuple(replace(digit, rising=False) for digit in digits.values() if not digit.relation)
    held = set(rule.columns) - {digit.name for digit in fields}
    ancestors: list[str] = []
    while at.owner is not None and not at.fixed and fields:
        above = at.entity.relation(at.owner.relation)
        if ancestors and held == set(above.columns):
            ancestors.append(above.target)
            bits = Bits(plan.stage_seed, entity.name, "+".join(sorted(rule.columns)), "unique")
            return Component(
                rules=(str(rule),), within_owner=False, core=(), petals=(fields,), bits=bits, ancestors=tuple(ancestors)
            )
        if not held <= set(above.columns):
            return None
        held = {above.target_columns[above.columns.index(column)] for column in held}
        ancestors.append(above.target)
        at = plan.entities[above.target]
    return None


def _stratified(
    plan: Plan, entity_plan: EntityPlan, rule: Unique, digits: dict[str, Digit], others: list[str]
) -> Component | None:
    """A rule over references that agree with one of it, or with the owner, and with nothing else; None for any other."""
    entity, owner = entity_plan.entity, entity_plan.owner.relation if entity_plan.owner else None
    inside = {
        name: entity_plan.candidate_filters[name] for name in digits if name in entity_plan.candidate_filters and name != owner
    }
    followers = {name: candidates for name, candidates in inside.items() if candidates.agreements}
    leader: str | None
    if followers:
        agreement = next(iter(followers.values())).agreements[0]
        leader = agreement.leader
        agreed = all(
            len(candidates.agreements) == 1 and candidates.implied is None and not candidates.earlier
            and (candidates.agreements[0].leader, candidates.agreements[0].from_leader) == (leader, agreement.from_leader)
            for candidates in followers.values()
        )  # fmt: skip
    else:
        leader, agreed = next(iter(inside), None), len(inside) == 1 and not any(w.earlier for w in inside.values())
    if entity_plan.fixed:
        return None
    names = set(digits) - {owner}
    if not agreed or leader is None or leader not in digits or names & set(others):
        return None
    if leader != owner and owner in digits:
        return None
    apart = frozenset(name for name in followers if differs(entity.relation(name), entity.relation(leader)))
    asunder = any(differs(entity.relation(one), entity.relation(two)) for one, two in combinations(followers, 2))
    beside = [digit.name for digit in digits.values() if digit.relation and digit.name not in (*followers, leader)]
    asunder |= any(differs(entity.relation(one), entity.relation(two)) for one in beside for two in (leader, *followers))
    if asunder or any(not _alike(entity_plan, leader, name) for name in apart):
        return None
    fields: list[Digit] = []
    free = sorted((d for d in digits.values() if d.name not in (*followers, leader)), key=lambda d: -d.radix)
    for digit in free:
        if prod(d.radix for d in fields) * digit.radix <= _MOST_FREE:
            fields.append(replace(digit, rising=False))
    if free and not fields:  # each is wider than that alone
        fields.append(replace(free[0], radix=_MOST_FREE, rising=False))
    return Component(
        rules=(str(rule),), within_owner=leader == owner, core=(), petals=(tuple(fields),) if fields else (),
        bits=Bits(plan.stage_seed, entity.name, "+".join(sorted(rule.columns)), "unique"),
        strata=((leader,) if leader != owner else ()) + tuple(followers), apart=apart,
    )  # fmt: skip


def _alike(entity_plan: EntityPlan, leader: str, follower: str) -> bool:
    """Whether two references choose among the same members, so that the distance between their ranks keeps them apart."""
    agreement, candidates = entity_plan.candidate_filters[follower].agreements[0], entity_plan.candidate_filters.get(leader)
    one, other = entity_plan.entity.relation(leader), entity_plan.entity.relation(follower)
    plain = entity_plan.candidate_filters[follower].where is None and (
        candidates is None or (candidates.where is None and not candidates.followers)
    )
    return plain and one.target == other.target and agreement.from_leader == agreement.from_target


def _apart_in_petals(entity: Entity, component: Component) -> str | None:
    """Two references that must differ, of which each has a petal of its own: the distance that keeps them apart would leave one
    of them equal to another row's."""
    held = {digit.name: number for number, petal in enumerate(component.petals) for digit in petal if digit.relation}
    for relation in entity.relations:
        if relation.name in held and relation.unlike in held and held[relation.name] != held[relation.unlike]:
            return f"{relation.unlike} and {relation.name}"
    return None


def _mixed(entity_plan: EntityPlan, component: Component) -> bool:
    """Arithmetic keeps generated values apart from given ones only under rules of one field over all rows."""
    together = component.within_owner or component.core or any(len(petal) > 1 for petal in component.petals)
    return bool(together and entity_plan.fixed and entity_plan.generated)


def _precomputed(
    plan: Plan,
    entity_plan: EntityPlan,
    hard: list[Laid],
    names: set[str],
    because: str,
    problems: list[Problem],
    checks: list[SettledCheck],
) -> Precomputed | None:
    entity = entity_plan.entity
    beside = frozenset(str(rule) for rule, _ in hard if not is_apart(plan, entity, rule))
    rows = entity_plan.total + (entity_plan.earlier_rows if beside else 0)
    if rows > MOST_ROWS:
        problems.append(Problem(
            fact=f"{entity.name}: {because}; its rows are worked out beforehand, and {rows:,} are too many",
            place=entity.rows.place if entity.rows else entity.place, hint=f"at most {MOST_ROWS:,} rows",
        ))  # fmt: skip
        return None
    # a null is not a position here: these fields always have a value
    fields = {
        d.name: replace(d, radix=d.radix - d.null, null=False) for _, digits in hard for d in digits.values() if not d.relation
    }  # fmt: skip
    relations = tuple(name for name in entity_plan.reference_order if name in names)
    label = "+".join(sorted({*relations, *fields}))
    return Precomputed(
        rules=tuple(rule for rule, _ in hard), relations=relations,
        fields=tuple(fields.values()), bits=Bits(plan.stage_seed, entity.name, label, "tabled"), because=because,
        beside=beside, checks=tuple((one.check, one.expression) for one in checks),
    )  # fmt: skip


def _component(
    plan: Plan,
    entity: Entity,
    rules: list[Unique],
    digit_sets: list[dict[str, Digit]],
    owner: str | None,
) -> Component | None:
    """The layout of rules that share digits; None where they overlap in a way that arithmetic does not keep."""
    names = [set(digits) for digits in digit_sets]
    candidates = owner is not None and all(owner in own for own in names)
    shared = set.intersection(*names) if len(names) > 1 else set()
    core = shared - {owner}
    rest = [own - shared - {owner} for own in names]
    overlap = any(a & b for i, a in enumerate(rest) for b in rest[i + 1 :])
    overlap |= prod(digit_sets[0][name].radix for name in core) > WIDEST
    if overlap or (owner is not None and not candidates and any(owner in own for own in names)):
        return None
    if any(not own for own in rest):
        # only the owner is left: at most one row for each owner keeps it, which the proofs look at
        rest = [own for own in rest if own]
    by_name = {name: digit for digits in digit_sets for name, digit in digits.items()}
    ordered = [tuple(by_name[n] for n in digits if n in own) for digits, own in zip(digit_sets, rest, strict=False)]
    label = "+".join(sorted(set().union(*names)))
    return Component(
        rules=tuple(map(str, rules)), within_owner=candidates, core=tuple(by_name[n] for n in sorted(core)),
        petals=tuple(ordered), bits=Bits(plan.stage_seed, entity.name, label, "unique"),
    )  # fmt: skip
