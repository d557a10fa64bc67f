"""Entities as a world file spells them: counts, references and kinds of value, each with the reason it was guessed for."""

from __future__ import annotations

from collections.abc import Sequence

from ..expression.names import plain_name
from ..model import (
    EVEN,
    Case,
    CasesSource,
    ComputeSource,
    ConstSource,
    Field,
    Guess,
    KindSource,
    PatternSource,
    PerOwner,
    Relation,
    RowCount,
    ShapeSource,
    Source,
    WeightsSource,
)
from ..model.origins import Origin
from ..plan import EntityPlan, Plan
from ..plan.fields import ByWeight, Drawn, Matching, RankWithinOwner
from ..plan.ways.own_rows import InTree
from ..planning.counting.usual import follows_from
from ..planning.knowledge.presence import USUAL_SHARE
from ..planning.shortfalls import is_derived
from ..values.patterns import texts_of
from .yaml_text import commented, flow, listed, percent, scalar

INDENT = "  "


def because(guess: Guess | None) -> str:
    """`95%: its name`; what is not sure carries a question mark."""
    return "" if guess is None else f"{percent(guess.confidence)}{'' if guess.sure else '?'} {guess.reason}"


def entity_lines(plan: Plan, entity_plan: EntityPlan, number: int, doubtful: Sequence[Relation]) -> list[str]:
    """One entity as lines, without indentation of its own. `doubtful` are relationships too unsure to be used."""
    entity = entity_plan.entity
    head = f"{scalar(entity.name)}:"
    held = f"; {entity.held:,} rows there now" if entity.held else ""
    lines = [commented(head, f"{number} of {len(plan.entities)}{held}")]
    lines.append(commented(f"{INDENT}rows: {_rows(plan, entity_plan)}", _count_reason(entity_plan)))
    if entity.topic is not None:
        lines.append(commented(f"{INDENT}topic: {scalar(entity.topic)}", "what its texts speak of"))
    if entity.label:
        lines.append(commented(f"{INDENT}label: {scalar(entity.label)}", "how a row is shown where others refer to it"))
    references = [reference_line(plan, entity_plan, relation) for relation in entity.relations]
    references = [line for line in references if line]
    suggested = [f"# {scalar(r.name)}: {_target(r)}  # {because(r.guess)}" for r in doubtful]
    if references:
        lines.append(f"{INDENT}references:")
        lines += [INDENT * 2 + line for line in references + suggested]
    else:
        lines += [INDENT + line for line in suggested]
    fields = [line for field in entity.fields if (line := field_line(entity_plan, field))]
    if fields:
        lines.append(f"{INDENT}fields:")
        lines += [INDENT * 2 + line for line in fields]
    return lines


def _rows(plan: Plan, entity_plan: EntityPlan) -> str:
    """The number, or how it follows from another entity's, so that one changed number changes what hangs on it."""
    owned = entity_plan.entity.rows
    if isinstance(owned, PerOwner) and owned.mean is not None:
        least = {"least": str(owned.least)} if owned.least is not None else {}
        parts = {"per": scalar(owned.per), "mean": f"{owned.mean:g}", **least, "most": str(owned.highest)}
        return flow(parts | ({"none": percent(owned.none)} if owned.none else {}))
    if isinstance(owned, PerOwner) and owned.each is not None and owned.place is None:
        return flow({"per": scalar(owned.per), "each": str(owned.each)})
    if isinstance(owned, RowCount):
        return str(owned.number)
    followed = follows_from(plan, entity_plan) if is_derived(plan, entity_plan) else None
    if followed is None:
        return str(entity_plan.generated)
    factor, target = followed[0], plain_name(followed[1])
    return scalar(f"{factor} * count({target})" if factor == int(factor) else f"round({factor} * count({target}))")


def _count_reason(entity_plan: EntityPlan) -> str:
    fixed = f"beside {entity_plan.fixed} rows that the model's source inserts" if entity_plan.fixed else ""
    counted = isinstance(entity_plan.entity.rows, RowCount | PerOwner) and entity_plan.entity.rows.place is None
    told = "as many as there are" if counted else entity_plan.because
    reason = told if entity_plan.generated or not entity_plan.fixed else ""
    return "; ".join(filter(None, (reason, fixed)))


def _target(relation: Relation) -> str:
    return flow({"to": scalar(relation.target), "columns": listed(relation.columns)})


def reference_line(plan: Plan, entity_plan: EntityPlan, relation: Relation) -> str:
    """One reference; empty where nothing about it was guessed."""
    parts: dict[str, str] = {}
    if relation.guess is not None:
        parts |= {"to": scalar(relation.target), "columns": listed(relation.columns)}
    reference = entity_plan.references.get(relation.name)
    entity = entity_plan.entity
    if reference is not None and (favour := reference.favour) is not None:
        parts["favour"] = "even" if favour == EVEN else flow({"few": percent(favour.few), "take": percent(favour.take)})
    present = relation.present or entity.field(relation.columns[0]).present
    if present is None and reference is not None and isinstance(reference.way, InTree) and reference.way.tree.share is not None:
        parts["tree"] = flow({"roots": percent(reference.way.tree.share)})
    elif present is None and all(entity.field(column).nullable for column in relation.columns):
        parts["present"] = percent(USUAL_SHARE)
    elif present is not None and present.place is None and present.when is None and present.share is not None:
        parts["present"] = percent(present.share)
    if not parts:
        return ""
    why = because(relation.guess) if relation.guess else f"to {relation.target} by {', '.join(relation.columns)}"
    return commented(f"{scalar(relation.name)}: {flow(parts)}", why, 58)


def _own_space(way: Drawn) -> int:
    """How many values weights or a pattern have by themselves; as many as are drawn from, where it is neither."""
    match way.of:
        case ByWeight(weights=weights):
            return len(weights)
        case Matching(pattern=pattern):
            return texts_of(pattern, None).space
    return way.values.space


def field_line(entity_plan: EntityPlan, field: Field) -> str:
    """One field, filled as the plan fills it; empty where nothing about it was guessed, or where only a guess can be kept."""
    planned = entity_plan.fields.get(field.name)
    if planned is not None and field.free:
        field = planned.field
        way = planned.way
        if isinstance(way, Drawn) and (way.values.space > _own_space(way) or isinstance(way.of, RankWithinOwner)):
            return ""  # values with numbers behind them, or that count: what is said would have neither
    if field.guess is None or field.source is None:
        return _choice(field)
    parts = _source(field.source) | _bounds(field) | _presence(field)
    if field.follows and field.follows[0].place is None:
        told = [flow({"field": scalar(one.field), "correlation": f"{one.correlation:g}"}) for one in field.follows]
        parts["follows"] = told[0] if len(told) == 1 else f"[{', '.join(told)}]"
    if field.secret:
        parts["secret"] = "true"
    return commented(f"{scalar(field.name)}: {flow(parts)}", because(field.guess), 58)


_WORDS = {">=": "minimum", ">": "after", "<=": "maximum", "<": "before"}


def _bounds(field: Field) -> dict[str, str]:
    """The guessed bounds; a span stands right behind the bound that it is about."""
    parts: dict[str, str] = {}
    guessed = [bound for bound in field.limits.bounds if bound.origin is Origin.GUESSED]
    for comparison, word in _WORDS.items():
        those = [bound for bound in guessed if bound.comparison == comparison]
        if those:
            operands = [scalar(bound.operand) for bound in those]
            parts[word] = operands[0] if len(operands) == 1 else f"[{', '.join(operands)}]"
        near = next((bound.within for bound in those if bound.within is not None), None)
        if near is not None:
            parts["within"] = scalar(near)
        usual = next((bound.usually for bound in those if bound.usually is not None), None)
        if usual is not None:
            parts["usually"] = scalar(usual)
    return parts | ({"loose": "true"} if any(bound.path for bound in guessed) else {})


def _presence(field: Field) -> dict[str, str]:
    """When a nullable field has a value, where nobody said so."""
    present = field.present
    if not field.nullable or (present is not None and present.place is not None):
        return {}
    if present is not None and present.when is not None:
        told = {"when": scalar(present.when), "share": percent(present.share)} if present.share is not None else None
        return {"present": flow(told) if told else scalar(present.when)}
    if present is None and isinstance(field.source, ComputeSource):
        return {}
    share = present.share if present and present.share is not None else USUAL_SHARE
    held = any(bound.path and bound.origin is not Origin.GUESSED for bound in field.limits.bounds)
    if share == USUAL_SHARE and held:  # unsaid it is the same, and null in rows where what is declared leaves no room
        return {}
    return {"present": percent(share)}


def _choice(field: Field) -> str:
    """A field that has a list of values takes them evenly: the line by which somebody may weigh them, as a comment."""
    values = field.type.values or next((allowed.values for allowed in field.limits.allowed), ())
    if field.source is not None or not 1 < len(values) <= 12:
        return ""
    return commented(f"# {scalar(field.name)}: {flow({'weights': flow(dict.fromkeys(values, '1'))})}", "its values, evenly", 58)


def _by_case(cases: tuple[Case, ...]) -> dict[str, str]:
    told = [next(iter(_source(case.source).items()), ("", "")) for case in cases]
    if len({word for word, _ in told}) != 1 or not told[0][0]:
        return {}
    whens = ({} if case.when is None else {"when": scalar(case.when)} for case in cases)
    return {told[0][0]: f"[{', '.join(flow({**when, 'of': of}) for when, (_, of) in zip(whens, told, strict=True))}]"}


def _source(source: Source) -> dict[str, str]:
    match source:
        case KindSource(kind=kind, parameters=parameters):
            given = {name: scalar(value) for name, value in parameters}
            return {"kind": flow({kind: flow(given)}) if given else scalar(kind)}
        case WeightsSource(weights=weights):
            return {"weights": flow({value: f"{weight:g}" for value, weight in weights})}
        case PatternSource(pattern=pattern):
            return {"pattern": scalar(pattern)}
        case ComputeSource(expression=expression):
            return {"compute": scalar(expression)}
        case ConstSource(value=value):
            return {"const": scalar(value)}
        case CasesSource(cases=cases):
            return _by_case(cases)
        case ShapeSource(shape="quantiles", parameters=parameters):
            return {"shape": flow({"quantiles": listed(tuple(f"{value:.12g}" for _, value in parameters))})}
        case _:
            return {}
