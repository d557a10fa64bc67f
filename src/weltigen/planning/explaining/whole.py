"""What is said of a whole plan: cycles, the order of deletes, guesses, what was not understood."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass

from ...model import Relation
from ...model.phrases import plural
from ...plan import Plan, first_row
from ..delete_order import delete_order_of

_NAMED = 12  # unsure guesses, and guessed references, that are named
_NOTES = 10  # notices that are named


@dataclass(frozen=True, slots=True)
class Said:
    """One line, and whether it wants a second look."""

    text: str
    doubtful: bool = False


@dataclass(frozen=True, slots=True, kw_only=True)
class UnsureGuess:
    """A field whose kind was guessed, and may well be another."""

    field: str
    kind: str
    confidence: float
    reason: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Guesses:
    """How many guesses are sure, which are not, the least sure first, and the references that nobody declared."""

    sure: int
    unsure: tuple[UnsureGuess, ...]
    references: tuple[Relation, ...]


def rows_there(plan: Plan, entity: str) -> int:
    """Rows that earlier stages made, or that a database held when it was read."""
    return first_row(plan, entity) if plan.stage > 1 else plan.entities[entity].entity.held or 0


def cycles_in_words(plan: Plan) -> list[Said]:
    """The circles of references, and where each was broken."""
    out = []
    for cycle in plan.cycles:
        if plan.stage > 1 and not set(cycle.members) <= set(plan.order):
            continue
        circle, at = " → ".join((*cycle.members, cycle.members[0])), cycle.broken_at
        if at is None:
            out.append(Said(f"{circle}, cannot be broken"))
        else:
            why = "which is deferrable" if at.deferrable else "which may be null"
            out.append(Said(f"{circle}, broken at {at.label}, {why}"))
    return out or [Said("none")]


def deletes_in_words(plan: Plan) -> list[Said]:
    """In which order all rows can be deleted; what must be set null first, and what cascades delete."""
    found = delete_order_of(plan)
    if not found.order or not any(entity.entity.relations for entity in plan.entities.values()):
        return []
    text = "from last to first"
    if found.along:
        rows = sum(plan.entities[name].total for name in found.along)
        text += f"; ON DELETE CASCADE alone would delete {plural(rows, 'row')} of {len(found.along)} entities"
    out = [Said(text)]
    out += [Said(f"set {r.label} null first: it points to rows that go before") for r in found.loosened]
    return out + [Said(f"{r.label} prevents deletes of {r.target}, and may not be null", doubtful=True) for r in found.held]


def guesses_of(plan: Plan) -> Guesses:
    """What was guessed, of the entities that this plan fills."""
    guessed = [
        (e.name, f, f.guess) for e in plan.world.entities if e.name not in plan.kept for f in e.fields
        if f.guess is not None and not _all_given(plan, e.name, f.name)
    ]  # fmt: skip
    unsure = [
        UnsureGuess(
            field=f"{entity}.{f.name}", kind=getattr(f.source, "kind", "these values"),
            confidence=guess.confidence, reason=guess.reason,
        )
        for entity, f, guess in guessed if not guess.sure
    ]  # fmt: skip
    related = [r for e in plan.world.entities for r in e.relations if r.guess is not None]
    unsure.sort(key=lambda guess: guess.confidence)
    return Guesses(sure=len(guessed) - len(unsure), unsure=tuple(unsure), references=tuple(related[:_NAMED]))


def _all_given(plan: Plan, entity: str, field: str) -> bool:
    """Whether fixed rows give every value of a field, so that a guess about it does not matter."""
    entity_plan = plan.entities[entity]
    return not entity_plan.generated and all(field in dict(row) for row in entity_plan.entity.fixed)


def not_understood(plan: Plan) -> list[Said]:
    """What rows may break, since it is not understood."""
    texts = [str(note) for note in plan.world.notices if not note.stepped_over] + list(plan.notes)
    out = [Said(text, doubtful=True) for text in texts[:_NOTES]]
    return (out + ([Said(f"and {len(texts) - _NOTES} more")] if len(texts) > _NOTES else [])) or [Said("nothing")]


def stepped_over(plan: Plan) -> list[Said]:
    """What shapes no row, by the first word behind CREATE: listed in full by --json."""
    kinds: Counter[str] = Counter()
    for note in plan.world.notices:
        if note.stepped_over:
            words = [w for w in note.what.upper().split() if w not in ("CREATE", "OR", "REPLACE")]
            kinds[words[0].lower() if words else "other"] += 1
    counted = ", ".join(plural(number, kind) for kind, number in kinds.items())
    return [Said(f"{counted}, which shape no row")] if kinds else []
