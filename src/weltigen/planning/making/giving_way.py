"""Guesses give way: what nobody said is tried against what is declared, and the next candidate takes its place where it fails.

First the look of a kind gives way (a number behind values that would be equal), then the kind itself, candidate after candidate,
at last to the plain forms of the type. Where the type itself has too few values the widest is kept: then rows are fewer.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
import pyarrow as pa

from ...expression import NotEvaluableError
from ...model import Candidate, Check, ConstSource, Field, Guess, KindSource, Limits, PatternSource, Place, Problem
from ...model.changing import changed
from ...model.literals import read_literal
from ...model.origins import Origin, Status
from ...model.types import TEXTS, TypeName
from ...plan.entity import EntityPlan
from ...plan.fields import (
    Constant,
    Converted,
    Drawn,
    FieldPlan,
    Impossible,
    OfKind,
    OfPerson,
    OneOf,
    RankWithinOwner,
    Shaped,
)
from ...plan.folding import fold_in_rules
from ...plan.plan import Plan
from ...randomness import Bits
from ...values import KindError, People, PersonPart, Values, get_kind
from ..knowledge.digits import folds_apart, is_unique
from .filling_case import in_case
from .sieving import Keeps, Sieved, cased, in_that_case, keeping, numbered, sieved

Prepare = Callable[[Field, list[Problem]], FieldPlan]
_LONGEST = 4_096  # characters of a text, or bytes of a value
_AMPLE = 40  # characters in which all that is read off persons has room
_SHORTEST_NAME = 2  # characters of a name
_PERSONS = 256  # that are looked at, where values are read off persons
_CLASSES = ("[a-z]", "[A-Z]", "[0-9]", "[0-9a-f]", "[a-z0-9]", "[A-Za-z0-9_]")
_LENGTHS = (8, 12, 16, 20, 24, 32, 36, 40, 64, 3, 2, 1, 4, 5, 6, 10)


@dataclass(frozen=True, slots=True)
class _Tried:
    """A candidate that was tried: what it became, how many values it has (None: as many as are asked for), or why it fails;
    `none` where no value at all keeps what is declared."""

    made: FieldPlan
    space: int | None
    why: str = ""
    none: bool = False


def give_way(
    plan: Plan, entity_plan: EntityPlan, field: Field, needed: int | None, prepare: Prepare, problems: list[Problem]
) -> FieldPlan:
    """The field filled from the first of its candidates that keeps what is declared of it alone.

    `needed`: so many values must differ; None where they may be equal. What is said does not give way.
    """
    if (field.limits.min_length or 0) > _LONGEST:
        fact = f"{entity_plan.name}.{field.name} must have {field.limits.min_length:,} characters"
        problems.append(Problem(fact=f"{fact}, and {_LONGEST:,} are the most that is made", place=field.place))
        return FieldPlan(field=field, way=Impossible())
    if not field.free:
        made = prepare(field, problems)
        tried = _tried(plan, entity_plan, made, needed, said=True) if not isinstance(made.way, Impossible) else None
        if tried is not None and tried.none:
            problems.append(Problem(fact=f"{entity_plan.name}.{field.name}: {tried.why}", place=said_at(field)))
        return tried.made if tried is not None else made
    first: list[Problem] = []
    widest: _Tried | None = None
    because = ""
    for number, candidate in enumerate(_candidates(entity_plan, field)):
        told: list[Problem] = []
        made = prepare(candidate, told)
        tried = (
            _Tried(made, 0, told[0].fact.removeprefix(f"{entity_plan.name}.{field.name}: "))
            if told
            else _tried(plan, entity_plan, made, needed)
        )
        if not number:
            first, because = told, tried.why
        if not tried.why:
            return _reasoned(tried.made, because) if number and because else tried.made
        if not told and tried.space and (widest is None or tried.space > (widest.space or 0)):
            widest = tried
    if widest is not None:
        return _reasoned(widest.made, because) if because else widest.made
    checked = bool(entity_plan.own_checks.get(field.name))
    hint = "change its check, or give weights that the check allows" if checked else "give it a kind, a pattern or weights"
    problems += first or [Problem(fact=f"{entity_plan.name}.{field.name}: {because}", place=field.place, hint=hint)]
    return FieldPlan(field=field, way=Impossible())


def said_at(field: Field) -> Place | None:
    """Where a field's values are said."""
    return getattr(field.source, "place", None) or field.place


def _reasoned(made: FieldPlan, because: str) -> FieldPlan:
    """The field with what its first guess gave way to."""
    guess = made.field.guess
    said = f"{guess.reason}, since {because}" if guess is not None else because
    confidence = guess.confidence if guess is not None else 0.3
    return changed(made, field=changed(made.field, guess=Guess(reason=said, confidence=confidence)))


def _candidates(entity_plan: EntityPlan, field: Field) -> Iterator[Field]:
    yield field
    if _counts(entity_plan, field) or field.limits.allowed or field.type.values:
        if isinstance(field.source, KindSource) and field.guess is not None:
            yield changed(field, source=None, guess=Guess(reason="its values", confidence=0.5))
        return  # numbers that count up, and values of a list, need no other form
    for one in field.others:
        yield changed(field, source=one.source, guess=one.guess)
    if field.type.name in TEXTS or field.type.name is TypeName.OTHER:
        yield changed(field, source=None, guess=Guess(reason="its type", confidence=0.3))
        for one in _plain_texts(entity_plan, field):
            yield changed(field, source=one.source, guess=one.guess)
    for text, reason in _named_values(entity_plan, field):
        yield changed(field, source=ConstSource(value=text), guess=Guess(reason=reason, confidence=0.3))


def _plain_texts(entity_plan: EntityPlan, field: Field) -> Iterator[Candidate]:
    """Plain texts of one class of characters, of the lengths that are allowed."""
    least = max(1, field.limits.min_length or 1)
    most = 1_000 if field.room is None else field.room
    if field.type.name is TypeName.OTHER:
        most = 8
    lengths = dict.fromkeys(n for n in (*(n for n in _LENGTHS if least <= n <= most), most if most < 1_000 else least, least))
    guess = Guess(reason="its type", confidence=0.3)
    for length in lengths:
        for characters in _CLASSES:
            yield Candidate(source=PatternSource(pattern=f"{characters}{{{length}}}", origin=Origin.GUESSED), guess=guess)
        if not entity_plan.own_checks.get(field.name):
            return


def _named_values(entity_plan: EntityPlan, field: Field) -> Iterator[tuple[str, str]]:
    """The field's default, and what its own checks name: values that probably keep them."""
    texts = [(field.default.strip("'"), "its default")] if field.default is not None else []
    for own in entity_plan.own_checks.get(field.name, ()):
        for node in own.expression.tree.find_all(_literal_class()):
            unit = node.parent.args.get("unit") if node.parent is not None else None
            texts.append((f"{node.this} {unit.name.lower()}" if unit is not None else str(node.this), "what its check names"))
    if field.type.name is TypeName.INTERVAL:  # one that a check names, and what is longer and shorter
        spans = [(re.fullmatch(r"(\d+) (\w+)", text), reason) for text, reason in texts]
        texts += [(f"{int(m[1]) * 2} {m[2]}", reason) for m, reason in spans if m]
        texts += [(f"{int(m[1]) // 2} {m[2]}", reason) for m, reason in spans if m and int(m[1]) > 1]
    for text, reason in dict.fromkeys(texts):
        try:
            read_literal(text, field.type)
        except ValueError:
            continue
        yield text, reason


def _literal_class() -> type:
    from sqlglot import exp

    return exp.Literal


def _counts(entity_plan: EntityPlan, field: Field) -> bool:
    """A number that counts up needs no other form."""
    return field.type.counts and field.source is None and (entity_plan.entity.key == (field.name,) or field.identity)


def _tried(plan: Plan, entity_plan: EntityPlan, made: FieldPlan, needed: int | None, *, said: bool = False) -> _Tried:
    """The field with the values that keep its own checks, and differ where they must."""
    field, way = made.field, made.way
    checks = entity_plan.own_checks.get(field.name, ())
    try:
        match way:
            case Drawn(values=values, of=of) if not isinstance(of, RankWithinOwner) and not way.rounded and not made.cell_bounds:
                return _drawn(plan, entity_plan, made, values, needed, said)
            case OfPerson():
                return _of_person(plan, entity_plan, made, keeping(made, checks) if checks else None, needed)
            case Converted(kind="side") if checks and isinstance(field.source, KindSource):
                told = dict(field.source.parameters)
                both = pa.array([told["first"], told["then"]]).cast(field.type.arrow())
                return _Tried(made, None, "" if keeping(made, checks)(both).all() else "its check does not allow both sides")
            case Converted() if checks:
                return _Tried(made, 0, "what it is made from may not keep its check")
            case Converted(of=of, may_lack=True) if _must_be_there(field):
                return _Tried(made, 0, f"{of.field} may be null")
            case Converted(of=of) if (
                needed is not None
                and not of.numbered
                and not (of.apart and is_unique(entity_plan, of.field))
                and not _may_fold_apart(entity_plan, of.field, field.room)
            ):
                return _Tried(made, 0, f"values of {of.field} may give the same")
            case Constant(value=value):
                if checks and not bool(keeping(made, checks)(pa.array([value.as_py()], field.type.arrow()))[0]):
                    return _Tried(made, 0, f"its check does not allow {value.as_py()}")
                enough = needed is None or needed < 2
                return _Tried(made, 1, "" if enough else "it is the same in each row")
            case Shaped() if needed is not None:
                return _Tried(made, 0, "its values may be equal")
    except NotEvaluableError:
        pass  # the check is told of elsewhere
    return _Tried(made, way.space)


def _must_be_there(field: Field) -> bool:
    """Whether somebody says in which rows a field is filled."""
    return not field.nullable or (field.present is not None and field.present.origin not in (Origin.GUESSED, Origin.FALLBACK))


def _of_the_row(way: Drawn) -> bool:
    """Whether a value belongs to a place or a file of its row, so that another attempt at the row gives the same one."""
    return isinstance(way.of, OfKind) and get_kind(way.of.kind).row is not None


def _drawn(plan: Plan, entity_plan: EntityPlan, made: FieldPlan, values: Values, needed: int | None, said: bool) -> _Tried:
    field, way = made.field, made.way
    assert isinstance(way, Drawn)
    fold = fold_in_rules(plan, entity_plan, field.name)
    change = in_case(field.limits.casing) if field.limits.casing is not None else None
    if change is not None:
        in_one_case = cased(values, change, fold)
        if in_one_case is None and needed is not None:
            return _Tried(made, 0, f"in {field.limits.casing} case its values may be equal")
        values = in_one_case or in_that_case(values, change)
    open_checks = [
        own.check for own in entity_plan.own_checks.get(field.name, ()) if own.check.status in (Status.OPEN, Status.AGAIN)
    ]
    alike = _alike(made, values, open_checks)
    if _is_sure(made, open_checks) or alike in _ALL_KEEP:
        found = Sieved(values, 1.0, True)
    else:
        found = sieved(values, keeping(made, ()), needed, surely=True)  # no row is drawn again for the sake of a limit
        if open_checks and found.values is not None:
            keeps = keeping(made, entity_plan.own_checks.get(field.name, ()))
            found = sieved(found.values, keeps, needed, surely=_of_the_row(way))
        if alike is not None and found.values is values and found.exact and len(_ALL_KEEP) < _MOST_KNOWN:
            _ALL_KEEP.add(alike)
    if found.values is None:
        rules = " and ".join(map(str, open_checks)) or "its limits"
        none = not found.share
        return _Tried(made, 0, f"{'none' if none else 'few'} of its values keep{'s' if none else ''} {rules}", none=none)
    left = found.values
    listed = field.limits.allowed or field.limits.patterns or isinstance(way.of, OneOf) or way.of == OfKind("password")
    counted = not said or isinstance(way.of, OfKind)  # a name or a label with a number is one still; a weighted value is not
    if needed is not None and left.space < needed and field.type.name in TEXTS and counted and not listed:
        room = field.room
        more = numbered(left, room, needed, fold)
        if more is not None:
            keeps = keeping(made, entity_plan.own_checks.get(field.name, ()))
            again = sieved(more, keeps, needed, surely=not open_checks)
            if again.values is not None and again.values.space > left.space:
                left = again.values
    if left is not way.values:
        only = left.space == 1 and not isinstance(way.of, OneOf)
        of = OneOf(values=tuple(left.decode(np.zeros(1, np.uint64)).to_pylist())) if only else way.of
        made = changed(made, way=replace(way, values=left, of=of), kept=found.exact)
    elif found.exact:
        made = changed(made, kept=True)
    if needed is not None and left.space < needed:
        return _Tried(made, left.space, f"it has only {left.space:,} values")
    return _Tried(made, left.space)


_WITHIN = frozenset({"number", "date", "date-time", "time", "boolean", "uuid"})  # kinds that are made within their limits


def _is_sure(made: FieldPlan, open_checks: Sequence[Check]) -> bool:
    """Whether nothing can keep a value out: it is made within its limits, and no check asks for more."""
    field, source = made.field, made.field.source
    kind = source.kind if isinstance(source, KindSource) else None
    if open_checks or _asks_for_more(field.limits):
        return False
    if field.type.name in TEXTS:
        within = isinstance(source, PatternSource) or kind in ("pattern", "password")  # which heed lengths by themselves
        return within or (field.room is None and field.limits.min_length is None and kind is not None)
    return kind in _WITHIN or (source is None and made.axis is not None)


def _asks_for_more(limits: Limits) -> bool:
    """Whether a value must be more than within a range and of a length."""
    return bool(limits.patterns or limits.allowed) or limits.casing is not None


_ALL_KEEP: set[Any] = set()  # texts of a kind that were looked at, and all had room
_MOST_KNOWN = 4_096


def _alike(made: FieldPlan, values: Values, open_checks: Sequence[Check]) -> Any:
    """What fields have in common whose texts need to be looked at only once: kind, type and lengths; None where more is asked."""
    field, source = made.field, made.field.source
    if not isinstance(source, KindSource) or open_checks or field.type.name not in TEXTS or _asks_for_more(field.limits):
        return None
    return get_kind(source.kind).prepare, source.parameters, field.type, field.room, field.limits.min_length, values.space


def _of_person(plan: Plan, entity_plan: EntityPlan, made: FieldPlan, keeps: Keeps | None, needed: int | None) -> _Tried:
    way, field = made.way, made.field
    assert isinstance(way, OfPerson)
    if needed is not None and not way.part.distinct:
        return _Tried(made, 0, "names of persons repeat")
    if keeps is None and (field.room is None or field.room >= _AMPLE):
        return _Tried(made, None)
    each = room_for_a_name(field, way.part)
    if each is not None and each < _SHORTEST_NAME:
        return _Tried(made, 0, f"no name of a person has {each} characters")
    try:
        people = People(Bits(plan.stage_seed, entity_plan.name, "", "person"), _PERSONS, each, each)
    except KindError as error:
        return _Tried(made, 0, str(error))
    if keeps is None:
        return _Tried(made, None)
    column = way.part.decode(people, people.at(np.arange(_PERSONS, dtype=np.int64)))
    if field.limits.casing is not None:
        column = in_case(field.limits.casing)(column)
    return _Tried(changed(made, kept=True), None, "" if keeps(column).all() else "not all names keep its check")


def room_for_a_name(field: Field, part: PersonPart) -> int | None:
    """The most characters that one name of a person may have, so that what is read off it fits; None where any do."""
    if field.room is None or not part.holds_names:
        return None
    alone = isinstance(field.source, KindSource) and field.source.kind in ("given-name", "family-name")
    return field.room if alone else (field.room - part.longest_tail) // 2


def _may_fold_apart(entity_plan: EntityPlan, source: str, room: int | None) -> bool:
    """Whether the values that another field is made from stay different when folded; of a field that is not prepared yet it is
    enough that a rule keeps them apart."""
    if source in entity_plan.fields:
        return folds_apart(entity_plan, source, room)
    return any(rule.columns == (source,) for rule in entity_plan.entity.unique_rules)
