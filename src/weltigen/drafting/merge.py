"""New parts put into a world file that somebody edited. The text is patched at places of its YAML tree, never written anew,
so that every edit, comment and blank stays where it was."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field
from typing import Any

from ..model import Field, Problem, Relation
from ..model.literals import read_literal
from ..model.problems import Place, UnreadableError
from ..plan import EntityPlan, Plan
from ..readers.yaml_tree import composed
from ..values import get_kind, kind_names
from .render import INDENT, field_line, reference_line
from .snapshot import Snapshot
from .yaml_text import without_reason


@dataclass(frozen=True, slots=True, kw_only=True)
class Parts:
    """What a fresh draft would hold: entities in fill order, and the lines of each.

    `before` is the model as it was drafted last: what it had and the file has not was taken out by somebody, and stays out.
    """

    order: tuple[str, ...]
    blocks: dict[str, list[str]]
    plan: Plan
    before: Snapshot | None = None

    def is_new(self, entity: str, columns: tuple[str, ...]) -> bool:
        known = self.before.entities.get(entity) if self.before is not None else None
        return known is None or not set(columns) <= set(known.fields)


@dataclass(slots=True)
class _Patch:
    """Replacements of spans of the text, done together from the end."""

    text: str
    edits: list[tuple[int, int, str]] = field(default_factory=list)

    def insert(self, at: int, new: str) -> None:
        self.edits.append((at, at, new))

    def replace(self, start: int, end: int, new: str) -> None:
        self.edits.append((start, end, new))

    def done(self) -> str:
        text = self.text
        # at one place, later insertions go behind earlier ones, and all before what is replaced from there on
        last = sorted(enumerate(self.edits), key=lambda e: (e[1][0], e[1][1] > e[1][0], e[0]), reverse=True)
        for _, (start, end, new) in last:
            text = text[:start] + new + text[end:]
        return text

    def line_start(self, at: int) -> int:
        return self.text.rfind("\n", 0, at) + 1

    def line_end(self, at: int) -> int:
        """Behind the line break of the line in which `at` stands."""
        end = self.text.find("\n", at)
        return len(self.text) if end < 0 else end + 1


def merged(text: str, parts: Parts) -> str:
    """The edited text with what is new in the model added, and with what is gone from it commented out."""
    root = composed(text, "draft")
    if not _is_mapping(root):
        raise UnreadableError(Problem(fact="this is not a world file, so nothing is drafted over it", place=Place(file="draft")))
    patch = _Patch(text)
    entities = _child(root, "entities")
    if entities is None or not _is_mapping(entities[1]):
        lines = "".join(f"{INDENT}{line}\n" for name in parts.order for line in parts.blocks[name])
        if entities is not None:
            return text[: entities[1].start_mark.index].rstrip() + "\n" + lines
        return f"{text.rstrip()}\nentities:\n{lines}"
    known = {str(key.value): (key, value) for key, value in entities[1].value}
    folded = {name.lower(): name for name in known}
    for name, (key, value) in known.items():
        entity_name = next((n for n in parts.order if n.lower() == name.lower()), None)
        if entity_name is None:
            _comment_out(patch, entities[1], key, value)
        else:
            _entity(patch, parts, entity_name, key, value, entities[1].flow_style)
    _add_entities(patch, parts, entities, known, folded)  # last: at the same place they stand behind what belongs to an entity
    return patch.done()


def _is_mapping(node: Any) -> bool:
    return node is not None and node.id == "mapping"


def _child(node: Any, name: str) -> tuple[Any, Any] | None:
    return next(((key, value) for key, value in node.value if key.value == name), None) if _is_mapping(node) else None


def _add_entities(patch: _Patch, parts: Parts, entities: Any, known: dict[str, Any], folded: dict[str, str]) -> None:
    """Each new entity stands behind the one that is filled before it, the first before all others."""
    new = [name for name in parts.order if name.lower() not in folded]
    mapping = entities[1]
    if mapping.flow_style:
        for name in new:
            _into_flow(patch, mapping, f"{name}: {{}}")
        return
    column = mapping.value[0][0].start_mark.column if mapping.value else len(INDENT)
    for name in new:
        lines = "".join(f"{' ' * column}{line}\n" for line in parts.blocks[name])
        before = next((folded[n.lower()] for n in reversed(parts.order[: parts.order.index(name)]) if n.lower() in folded), None)
        if before is not None:
            patch.insert(_end(patch, *known[before]), lines)
        else:
            patch.insert(patch.line_start(mapping.value[0][0].start_mark.index), lines)


def _end(patch: _Patch, key: Any, value: Any) -> int:
    """Behind the last line of an entry, and behind comments that stand deeper than it and so belong to it."""
    last = max(_last_offsets(value), default=key.end_mark.index)
    end = patch.line_end(max(last, key.end_mark.index))
    while end < len(patch.text):
        line = patch.text[end : patch.line_end(end)]
        if not line.lstrip(" ").startswith("#") or len(line) - len(line.lstrip(" ")) <= key.start_mark.column:
            break
        end += len(line)
    return end


def _last_offsets(node: Any) -> Iterator[int]:
    """Where the scalars and flow collections of a node end: block collections end only where the next token begins."""
    if node.id == "scalar" and node.start_mark.index == node.end_mark.index:
        return  # nothing is written: it stands where the next thing begins
    if node.id == "scalar" or node.flow_style:
        yield node.end_mark.index - (1 if node.id == "scalar" and node.style in ("|", ">") else 0)
        return
    for item in node.value:
        for part in item if isinstance(item, tuple) else (item,):
            yield from _last_offsets(part)


def _entity(patch: _Patch, parts: Parts, name: str, key: Any, value: Any, on_one_line: bool) -> None:
    """`on_one_line`: the entity stands in a mapping that does, so that what is added to it must as well."""
    entity_plan = parts.plan.entities[name]
    entity = entity_plan.entity
    references = {r.name: reference_line(parts.plan, entity_plan, r) for r in entity.relations if _is_new(parts, r)}
    fields = {f.name: field_line(parts.plan.entities[name], f) for f in entity.fields if parts.is_new(name, (f.name,))}
    sections: dict[str, list[str]] = {}
    for section, lines, there in (
        ("references", references, {w.lower() for r in entity.relations for w in (r.name, r.target, *r.columns)}),
        ("fields", fields, {f.name.lower() for f in entity.fields}),
    ):
        found = _child(value, section)
        listed = found[1].value if found is not None and _is_mapping(found[1]) else []
        written = {str(k.value).lower() for k, _ in listed}
        for k, v in listed:
            if str(k.value).lower() not in there and not (section == "references" and _child(v, "to") is not None):
                _comment_out(patch, found[1], k, v)  # type: ignore[index]
        aliases = _aliases(entity_plan.entity, written) if section == "references" else written
        new = [line for name, line in lines.items() if line and name.lower() not in aliases]
        if section == "fields":
            new += _no_longer_fitting(patch, entity_plan, listed, found)
        if new and on_one_line and not _is_mapping(value):
            sections[section] = new
        elif new:
            _add_lines(patch, section, new, key, value, found)
    if sections:
        inner = ", ".join(f"{section}: {{{', '.join(_written(lines))}}}" for section, lines in sections.items())
        _in_place_of_null(patch, value, f"{{{inner}}}")


def _are_of(values: list[str], field: Field) -> bool:
    """Whether texts are literals of a field's type."""
    try:
        return all(read_literal(text, field.type) is not None for text in values)
    except ValueError:
        return False


def _kinds_in(kind: tuple[Any, Any] | None) -> list[str]:
    """The names of the kinds that a field is filled from: one, or one for each case."""
    if kind is None:
        return []
    cases = kind[1].value if kind[1].id == "sequence" else ()
    ofs = [of[1] for case in cases if _is_mapping(case) and (of := _child(case, "of")) is not None]
    nodes = [node for node in ofs or [kind[1]] if node.id == "scalar" or (_is_mapping(node) and node.value)]
    return [str(node.value if node.id == "scalar" else node.value[0][0].value) for node in nodes]


def _no_longer_fitting(patch: _Patch, entity_plan: EntityPlan, listed: Any, found: Any) -> list[str]:
    """Wishes that a changed declaration rules out are commented out; a field that they cannot fill gets a fresh line."""
    fresh = []
    for key, value in listed:
        field = next((f for f in entity_plan.entity.fields if f.name.lower() == str(key.value).lower()), None)
        if field is None:
            continue
        named = _kinds_in(_child(value, "kind"))
        weights = _child(value, "weights")
        values = [str(one.value) for one, _ in weights[1].value] if weights is not None and _is_mapping(weights[1]) else []
        wrong = any(name in kind_names() and not get_kind(name).fills(field.type.name) for name in named)
        if wrong or not _are_of(values, field):
            _comment_out(patch, found[1], key, value)
            fresh.append(field_line(entity_plan, field))
        elif not field.nullable and (present := _child(value, "present")) is not None:
            _comment_out(patch, value, *present)
    return fresh


def _is_new(parts: Parts, relation: Relation) -> bool:
    known = parts.before.entities.get(relation.entity) if parts.before is not None else None
    declared = known is not None and ("+".join(relation.columns), relation.target) in known.references
    return not declared and (relation.guess is None or parts.is_new(relation.entity, relation.columns))


def _aliases(entity: Any, written: set[str]) -> set[str]:
    """References that are written already under their target's or their column's name."""
    return {r.name.lower() for r in entity.relations if {r.name.lower(), r.target.lower(), *map(str.lower, r.columns)} & written}


def _add_lines(patch: _Patch, section: str, lines: list[str], key: Any, value: Any, found: tuple[Any, Any] | None) -> None:
    if found is not None and _is_mapping(found[1]) and found[1].value:
        mapping = found[1]
        if mapping.flow_style:
            for line in _written(lines):
                _into_flow(patch, mapping, line)
            return
        column = mapping.value[0][0].start_mark.column
        patch.insert(_end(patch, *mapping.value[-1]), "".join(f"{' ' * column}{line}\n" for line in lines))
        return
    if found is not None and _is_mapping(found[1]):  # {}
        patch.replace(found[1].start_mark.index, found[1].end_mark.index, f"{{{', '.join(_written(lines))}}}")
        return
    if _is_mapping(value) and value.flow_style and found is not None:
        _in_place_of_null(patch, found[1], f"{{{', '.join(_written(lines))}}}")
        return
    if _is_mapping(value) and value.flow_style:
        if inner := ", ".join(_written(lines)):
            _into_flow(patch, value, f"{section}: {{{inner}}}")
        return
    for node in (value, found[1] if found is not None else None):
        _without_null(patch, node)
    column = value.value[0][0].start_mark.column if _is_mapping(value) and value.value else key.start_mark.column + len(INDENT)
    body = "".join(f"{' ' * column}{INDENT}{line}\n" for line in lines)
    if found is not None:
        patch.insert(patch.line_end(found[0].end_mark.index), body)
    else:
        patch.insert(_end(patch, key, value), f"{' ' * column}{section}:\n{body}")


def _written(lines: list[str]) -> list[str]:
    """The lines as they can stand in a mapping on one line, in which nothing is a comment."""
    return [without_reason(line) for line in lines if not line.startswith("#")]


def _in_place_of_null(patch: _Patch, node: Any, text: str) -> None:
    """Something on one line where nothing stands, or a null that is spelled out."""
    spelled = node.end_mark.index > node.start_mark.index
    behind = patch.text[node.start_mark.index - 1 : node.start_mark.index]
    patch.replace(node.start_mark.index, node.end_mark.index, text if spelled or behind.isspace() else f" {text}")


def _without_null(patch: _Patch, node: Any) -> None:
    """A null that is spelled out makes room for what is to stand in its place."""
    if node is not None and node.id == "scalar" and node.end_mark.index > node.start_mark.index:
        edit = (node.start_mark.index, node.end_mark.index, "")
        patch.edits += [] if edit in patch.edits else [edit]


def _into_flow(patch: _Patch, mapping: Any, text: str) -> None:
    closing = mapping.end_mark.index - 1
    patch.insert(closing, f", {text}" if mapping.value or any(start == closing for start, _, _ in patch.edits) else text)


def _comment_out(patch: _Patch, mapping: Any, key: Any, value: Any) -> None:
    """An entry whose subject is gone from the model: kept, as a comment, so that no edit is lost."""
    if mapping.flow_style:
        number = next(i for i, (k, _) in enumerate(mapping.value) if k is key)
        start, end = key.start_mark.index, value.end_mark.index
        shown = " ".join(patch.text[start:end].split())
        if number + 1 < len(mapping.value):
            end = mapping.value[number + 1][0].start_mark.index
        elif number:
            start = mapping.value[number - 1][1].end_mark.index
        patch.replace(start, end, "")
        at = patch.line_start(mapping.start_mark.index)
        indent = len(patch.text[at:]) - len(patch.text[at:].lstrip(" "))
        patch.insert(at, f"{' ' * indent}# gone from the model: {shown}\n")
        return
    start, end = patch.line_start(key.start_mark.index), _end(patch, key, value)
    column = key.start_mark.column
    lines = patch.text[start:end].splitlines()
    kept = "".join(f"{' ' * column}# {line[column:]}\n" if line.strip() else "\n" for line in lines)
    patch.replace(start, end, f"{' ' * column}# gone from the model:\n{kept}")
