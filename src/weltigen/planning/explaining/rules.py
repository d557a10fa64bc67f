"""By what each rule of an entity is kept, in words."""

from __future__ import annotations

from ...expression import NotEvaluableError, parse
from ...model import Check, Entity, PerPair, Unique
from ...model.folding import Fold, fold_of
from ...model.origins import Status
from ...plan import EntityPlan, Plan
from ...plan.fields import Converted, Counting, OfPerson, Spaced


def check_kept(entity_plan: EntityPlan, check: Check) -> str | None:
    """By what a check is kept; None where it is not."""
    if any(check is watched for watched, _ in entity_plan.verified_checks):
        return "watched, since nothing that it reads can be made again"
    if check.status is Status.UNREADABLE:
        return None
    if entity_plan.precomputed is not None and any(check is one for one, _ in entity_plan.precomputed.checks):
        return "worked out beforehand for all rows"
    if check.status is Status.MET:
        return f"by construction: {check.met_by}"
    group = next((group for group in entity_plan.rejection_groups if any(check is one for one, _ in group.checks)), None)
    if group is None:
        kept = any(
            one.check is check and entity_plan.fields[name].kept for name, own in entity_plan.own_checks.items() for one in own
        )
        return f"by construction: {'only values that keep it are taken' if kept else 'references stand in its order'}"
    made = sorted(group.fields) + [f"the {name} picked" for name in sorted(group.relations)]
    return f"by attempts: {', '.join(made)}"


def unique_kept(entity_plan: EntityPlan, rule: Unique, dialect: str | None) -> str:
    """By what a unique rule is kept; and how its texts are compared, where that is not exactly."""
    fields = [entity_plan.entity.field(column) for column in rule.columns]
    fold = max((fold_of(field.type, field.collation, dialect) for field in fields), default=Fold.EXACT)
    return _kept(entity_plan, rule) + (f", {fold}" if fold >= Fold.CASE else "")


def _kept(entity_plan: EntityPlan, rule: Unique) -> str:
    if entity_plan.precomputed is not None and rule in entity_plan.precomputed.rules:
        return "worked out beforehand for all rows"
    component = next((c for c in entity_plan.components if str(rule) in c.rules), None)
    if component is None:
        return _kept_by_one_column(entity_plan, rule)
    if component.strata:
        return "a different combination in each row, of those that agree"
    if component.ancestors:
        return f"each row of one {component.ancestors[-1]} differs"
    if component.siblings is not None:
        return "each child of one row differs"
    if component.within_owner:
        return "each row of an owner differs"
    return "a different value in each row" if len(rule.columns) == 1 else "a different combination in each row"


def special_kept(entity_plan: EntityPlan, rule: Unique) -> str | None:
    """By what a rule over expressions or some rows is kept; None where it is not."""
    reduced = next((one for one in entity_plan.reduced if one.rule.stands_for == str(rule)), None)
    if reduced is None:
        return None
    if reduced in entity_plan.conditional:
        return f"of the rows that agree one keeps {rule.where}"
    tabled = entity_plan.precomputed.conditions if entity_plan.precomputed is not None else ()
    if any(about == reduced.rule for about, _ in tabled):
        return f"worked out beforehand for the rows where {rule.where}"
    over = "over all rows, " if rule.where else ""
    return over + _kept(entity_plan, reduced.rule)


def _kept_by_one_column(entity_plan: EntityPlan, rule: Unique) -> str:
    """Rules that need no layout, since one thing in them differs from row to row anyway."""
    entity, columns = entity_plan.entity, set(rule.columns)
    fields = [entity_plan.fields[name] for name in rule.columns if name in entity_plan.fields]
    if any(isinstance(field.way, Counting) for field in fields):
        return "by its numbers"
    if any(isinstance(field.way, Spaced) for field in fields):
        return "each owner has one row at a time"
    for field in fields:
        match field.way:
            case Converted(of=of):
                return "by its numbers" if of.numbered else f"since {of.field} is unique"
            case OfPerson(part=part) if part.distinct:
                return "each person has one of their own"
    if any(relation.target == entity.name and columns <= set(relation.columns) for relation in entity.relations):
        return "each row refers to a row of its own"
    if isinstance(entity.rows, PerPair) and entity_plan.owner is not None:
        return "each combination has one row"
    held = next((str(other) for other in entity.unique_rules if set(other.columns) < columns), None)
    return f"since {held} is" if held else "by its values"


def rules_in_words(plan: Plan, entity_plan: EntityPlan) -> list[str]:
    entity = entity_plan.entity
    texts = []
    for rule in entity.unique_rules:
        rule_name = "primary key" if rule.columns == entity.key else "unique"
        texts.append(f"{rule_name} ({', '.join(rule.columns)}): {unique_kept(entity_plan, rule, plan.world.dialect)}")
    texts += [f"{rule}: {special_kept(entity_plan, rule) or 'not kept'}" for rule in entity.special_rules]
    for check in entity.checks:
        how = (check_kept(entity_plan, check) or "not understood").partition(":")[0]
        texts.append(f"{check.name or 'check'} ({check.expression}): {how}")
    return texts


def is_about(entity: Entity, check: Check, name: str) -> bool:
    """Whether a check reads a field, or the row that its reference goes to."""
    try:
        paths = parse(check.expression, check.dialect).paths
    except NotEvaluableError:
        return False
    ways = {relation.name for relation in entity.relations if name in relation.columns}
    return any(path.lower() == name.lower() or ("." in path and path.partition(".")[0] in ways) for path in paths)
