"""What `explain` says of a whole world: order, counts and why, guesses, what is kept in memory, what is impossible."""

from __future__ import annotations

from ..api import World
from ..model.phrases import plural
from ..plan import Plan, first_row
from ..plan.fields import Computed
from ..planning import delete_order_of
from ..rows import indexes_of
from .show import bad, cell, columns, dim, hanging, named, out, strong, warn

_LARGE = 1_000_000  # bytes from which an index is named on its own
_WORTH_SAYING = 100_000  # bytes from which smaller ones are told together


def heading(plan: Plan) -> str:
    world = plan.world
    names = [name.rsplit("/", 1)[-1] for name in world.sources] or [world.name]
    stage = f" · stage {plan.stage}" if plan.stage > 1 else ""
    return f"{strong(' on '.join(names))} · seed {plan.seed} · now {cell(plan.now).removesuffix(' 00:00')}{stage}"


def print_overview(name: str, world: World, plan: Plan, after: str | None = None) -> None:
    out(heading(plan))
    order = plan.order or tuple(plan.entities)
    stage = plan.stage > 1
    live = stage or any(entity.held is not None for entity in plan.world.entities)
    lines = [["", "entity", "added" if stage else "rows", *(["there now"] * live), "because"]]
    for number, entity in enumerate(order, 1):
        entity_plan = plan.entities[entity]
        now = [f"{_there(plan, entity):,}"] * live
        lines.append([str(number), entity, f"{entity_plan.total:,}", *now, entity_plan.because])
    total = sum(plan.entities[entity].total for entity in order)
    held = sum(_there(plan, entity) for entity in plan.entities)
    lines.append(["", "", f"{total:,}", *([f"{held:,}"] * live), "in all"])
    printed = columns(lines, right=(0, 2, 3) if live else (0, 2))
    out("\n".join([dim(printed[0]), *printed[1:]]))
    parts: list[tuple[str, list[str]]] = [
        ("cycles", _cycles(plan)),
        ("clearing", _clearing(plan)),
        ("guesses", _guesses(plan)),
        ("kept in memory", _kept_in_memory(plan)),
        ("without effect", list(plan.ignored)),
        ("not understood", _not_understood(plan)),
        ("stepped over", _stepped_over(plan)),
    ]
    for title, texts in parts:
        if not texts:
            continue
        for number, text in enumerate(texts):
            out(f"{title if number == 0 else '':<15} {hanging(text, 16)}")
    if plan.problems:
        out(f"{bad('impossible'):<15} {len(plan.problems)}")
        out("\n".join(f"  {line}" for problem in plan.problems for line in str(problem).splitlines()))
        return
    out(f"{'impossible':<15} nothing")
    first = plan.order[-1] if plan.order else "ENTITY"
    if after is not None:
        asked = [f"--rows {entity}={rows}" for entity, rows in plan.asked.items()] + [f"--times {plan.times:g}"] * (
            plan.times > 0
        )
        out(f"Next: weltigen explain {named(name)} {first} --after {after} {' '.join(asked)}")
        out(f"      weltigen fill {named(name)} --into {after} --on-rows append {' '.join(asked)}")
        return
    out(f"Next: weltigen explain {named(name)} {first}")
    out(f"      weltigen fill {named(name)} --into FOLDER|FILE.sqlite")


def _there(plan: Plan, entity: str) -> int:
    """Rows that earlier stages made, or that a database held when it was read."""
    return first_row(plan, entity) if plan.stage > 1 else plan.entities[entity].entity.held or 0


def _cycles(plan: Plan) -> list[str]:
    texts = []
    for cycle in plan.cycles:
        if plan.stage > 1 and not set(cycle.members) <= set(plan.order):
            continue
        at = f"broken at {cycle.broken_at.label}" if cycle.broken_at else "cannot be broken"
        way = (
            ", which may be null"
            if cycle.broken_at and not cycle.broken_at.deferrable
            else ", which is deferrable"
            if cycle.broken_at
            else ""
        )
        texts.append(f"{' → '.join((*cycle.members, cycle.members[0]))}, {at}{way}")
    return texts or ["none"]


def _clearing(plan: Plan) -> list[str]:
    """In which order all rows can be deleted; what has to be loosened first, and what goes along with its parents."""
    found = delete_order_of(plan)
    if not found.order or not any(entity.entity.relations for entity in plan.entities.values()):
        return []
    text = "deletes from last to first"
    if found.along:
        rows = sum(plan.entities[name].total for name in found.along)
        text += f"; cascades alone would take {plural(rows, 'row')} of {len(found.along)} entities along"
    texts = [text]
    texts += [f"first {r.label} must be set null: it points to rows that go before" for r in found.loosened]
    return texts + [warn(f"{r.label} holds {r.target} back, and may not be null") for r in found.held]


def _guesses(plan: Plan) -> list[str]:
    related = [r for e in plan.world.entities for r in e.relations if r.guess is not None]
    guessed = [
        (e.name, f)
        for e in plan.world.entities
        if e.name not in plan.kept
        for f in e.fields
        if f.guess is not None and not _all_given(plan, e.name, f.name)
    ]
    unsure = [(entity, field) for entity, field in guessed if field.guess and not field.guess.sure]
    texts = [f"{len(guessed) - len(unsure)} sure · {len(unsure)} unsure{':' if unsure else ''}"]
    unsure.sort(key=lambda pair: pair[1].guess.confidence if pair[1].guess else 0)
    listed = [
        [f"{entity}.{f.name}", f"{getattr(f.source, 'kind', 'these values')}?", f"{f.guess.confidence:.0%}", f.guess.reason]
        for entity, f in unsure[:12]
        if f.guess
    ]
    texts += [warn(line) for line in columns(listed)]
    texts += [f"  and {len(unsure) - 12} more"] if len(unsure) > 12 else []
    return texts + [f"{r.label} refers to {r.target}: {r.guess.reason}" for r in related[:12] if r.guess]


def _all_given(plan: Plan, entity: str, field: str) -> bool:
    """Whether fixed rows give every value of a field, so that a guess about it does not matter."""
    entity_plan = plan.entities[entity]
    return not entity_plan.generated and all(field in dict(row) for row in entity_plan.entity.fixed)


def _not_understood(plan: Plan) -> list[str]:
    texts = [str(note) for note in plan.world.notices if not note.stepped_over] + list(plan.notes)
    shown = [warn(text) for text in texts[:10]]
    return (shown + ([f"and {len(texts) - 10} more"] if len(texts) > 10 else [])) or ["nothing"]


def _kept_in_memory(plan: Plan) -> list[str]:
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


def _stepped_over(plan: Plan) -> list[str]:
    """What shapes no row, by the first word behind CREATE: listed in full by --json."""
    kinds: dict[str, int] = {}
    for note in plan.world.notices:
        if note.stepped_over:
            words = [w for w in note.what.upper().split() if w not in ("CREATE", "OR", "REPLACE")]
            kinds[words[0].lower() if words else "other"] = kinds.get(words[0].lower() if words else "other", 0) + 1
    return (
        [", ".join(f"{number} {kind}{'s' * (number > 1)}" for kind, number in kinds.items()) + ", which shape no row"]
        if kinds
        else []
    )
