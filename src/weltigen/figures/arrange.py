"""Where entities stand on the map: in columns from left to right, what must come first to the left; lines bend around boxes.

The layered method of Sugiyama, Tagawa and Toda (1981): layers by longest path, long references cut by points that take a
point in each layer between, the order in a layer by the mean rank of neighbours, several sweeps both ways.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from itertools import pairwise

from ..model import Relation
from ..model.phrases import plural
from ..plan import Plan

LINE, WIDTH_OF_SIGN, PAD = 0.20, 0.088, 0.12  # inches
GAP, LAYER_GAP, POINT, LOOP = 0.16, 0.95, 0.10, 0.30
SWEEPS = 24


@dataclass(slots=True)
class Box:
    """An entity: its lines of text and where it stands; `x`, `y` are its upper left corner, in inches, y downwards."""

    name: str
    lines: list[str]
    layer: int
    width: float = 0.0
    height: float = 0.0
    x: float = 0.0
    y: float = 0.0


@dataclass(slots=True)
class Line:
    """A reference: from the entity that holds it, through points, to its target.

    `many`: a row of the target may be referred to by several; `optional`: the reference may be null; `broken`: a cycle is
    broken here, so the target comes later.
    """

    relation: Relation
    many: bool
    optional: bool
    broken: bool
    owner: bool
    points: list[tuple[float, float]] = field(default_factory=list)
    beside: bool = False  # both boxes stand in one column: the line goes round the outside


@dataclass(slots=True)
class Arrangement:
    boxes: dict[str, Box]
    lines: list[Line]
    loops: list[Line]
    width: float
    height: float


@dataclass(slots=True)
class _Node:
    """A box, or a point at which a long line passes a layer."""

    layer: int
    height: float
    box: Box | None = None
    before: list[_Node] = field(default_factory=list)
    after: list[_Node] = field(default_factory=list)
    y: float = 0.0

    @property
    def middle(self) -> float:
        return self.y + self.height / 2


def arrange(plan: Plan) -> Arrangement:
    """The map of a plan. The more entities, the less is written in each box."""
    order = plan.order or tuple(plan.entities)
    broken = {cycle.broken_at.label for cycle in plan.cycles if cycle.broken_at}
    layer_of = _layers(plan, order, broken)
    boxes = {name: _box(plan, name, number, layer_of[name], len(order)) for number, name in enumerate(order, 1)}
    nodes = {name: _Node(layer=box.layer, height=box.height + _room_above(plan, name), box=box) for name, box in boxes.items()}
    layers: list[list[_Node]] = [[] for _ in range(max(layer_of.values(), default=0) + 1)]
    for node in nodes.values():
        layers[node.layer].append(node)
    lines, loops, ways = [], [], []
    for name in order:
        for relation in plan.entities[name].entity.relations:
            if relation.target not in boxes:
                continue
            line = _line(plan, relation, relation.label in broken)
            if relation.target == name:
                loops.append(line)
                continue
            lines.append(line)
            ways.append(_way(nodes[relation.target], nodes[name], layers))
    _order(layers)
    width, height = _place(layers, boxes)
    anchors = _anchors(lines, boxes)
    for number, (line, way) in enumerate(zip(lines, ways, strict=True)):
        line.beside = boxes[line.relation.target].layer == boxes[line.relation.entity].layer
        line.points = _points(line, way, boxes, layers, anchors[number])
    return Arrangement(boxes=boxes, lines=lines, loops=loops, width=width, height=height)


def _room_above(plan: Plan, name: str) -> float:
    """A box that refers to itself needs room for the loop."""
    return LOOP if any(r.target == name for r in plan.entities[name].entity.relations) else 0.0


def _layers(plan: Plan, order: tuple[str, ...], broken: set[str]) -> dict[str, int]:
    """One more than the greatest layer among what must come before."""
    layer_of: dict[str, int] = {}
    for name in order:
        targets = [r.target for r in plan.entities[name].entity.relations if r.label not in broken and r.target in layer_of]
        layer_of[name] = max((layer_of[target] + 1 for target in targets if target != name), default=0)
    return layer_of


def _box(plan: Plan, name: str, number: int, layer: int, total: int) -> Box:
    entity_plan = plan.entities[name]
    lines = [f"{number}  {name}" if total <= 80 else name]
    if total <= 80:
        lines.append(plural(entity_plan.total, "row"))
    if total <= 40 and entity_plan.entity.key:
        key = ", ".join(entity_plan.entity.key)
        lines.append(f"key {key if len(key) <= 24 else key[:23] + '…'}")
    width = max(map(len, lines)) * WIDTH_OF_SIGN + 2 * PAD
    return Box(name=name, lines=lines, layer=layer, width=width, height=len(lines) * LINE + 2 * PAD)


def _line(plan: Plan, relation: Relation, broken: bool) -> Line:
    entity_plan = plan.entities[relation.entity]
    entity = entity_plan.entity
    single = any(set(rule.columns) <= set(relation.columns) for rule in entity.unique_rules)
    return Line(
        relation=relation, many=not single, optional=any(entity.field(column).nullable for column in relation.columns),
        broken=broken, owner=entity_plan.owner is not None and entity_plan.owner.relation == relation.name,
    )  # fmt: skip


def _way(first: _Node, last: _Node, layers: list[list[_Node]]) -> list[_Node]:
    """From one box to another with a point in each layer between; broken cycles lead back, others to the right."""
    left, right = (first, last) if first.layer <= last.layer else (last, first)
    way = [left]
    for layer in range(left.layer + 1, right.layer):
        point = _Node(layer=layer, height=POINT)
        layers[layer].append(point)
        way.append(point)
    way.append(right)
    if left.layer != right.layer:
        for one, two in pairwise(way):
            one.after.append(two)
            two.before.append(one)
    return way if left is first else way[::-1]


def _order(layers: list[list[_Node]]) -> None:
    """Neighbours near each other: each node to the mean rank of those before it, then of those behind it."""
    rank = {id(node): float(i) for layer in layers for i, node in enumerate(layer)}
    for sweep in range(SWEEPS):
        forward = sweep % 2 == 0
        for layer in layers if forward else reversed(layers):

            def mean(node: _Node, forward: bool = forward) -> float:
                near = node.before if forward else node.after
                if not near:  # what nothing ties stands last
                    return rank[id(node)] if node.before or node.after else 1e9
                return sum(rank[id(n)] for n in near) / len(near)

            layer.sort(key=mean)
            for i, node in enumerate(layer):
                rank[id(node)] = i - len(layer) / 2


def _place(layers: list[list[_Node]], boxes: dict[str, Box]) -> tuple[float, float]:
    """Columns one beside the other; in each, nodes move towards their neighbours as far as their order lets them."""
    for layer in layers:
        y = 0.0
        for node in layer:
            node.y = y
            y += node.height + GAP
        for node in layer:
            node.y -= y / 2
    for sweep in range(12):
        for layer in layers if sweep % 2 == 0 else reversed(layers):
            wishes: list[float] = []
            for node in layer:
                near = node.before + node.after
                after = wishes[-1] if wishes else node.y
                wishes.append(sum(n.middle for n in near) / len(near) - node.height / 2 if near else after)
            _settle(layer, wishes)
    top = min((node.y for layer in layers for node in layer), default=0.0)
    x = 0.0
    for layer in layers:
        widest = max((node.box.width for node in layer if node.box), default=0.0)
        for node in layer:
            node.y -= top
            if node.box is not None:
                node.box.x, node.box.y = x, node.y + node.height - node.box.height
        x += widest + LAYER_GAP
    height = max((node.y + node.height for layer in layers for node in layer), default=1.0)
    return max(1.0, x - LAYER_GAP), height


def _settle(layer: list[_Node], wishes: list[float]) -> None:
    """Nearest places to the wishes that keep order and gaps: blocks of nodes that touch move to their mean wish together."""
    blocks: list[tuple[float, float, int, list[_Node]]] = []  # where it begins, how tall it is, how many wishes, its nodes
    for node, wish in zip(layer, wishes, strict=True):
        start, tall, count, members = wish, node.height + GAP, 1, [node]
        while blocks and blocks[-1][0] + blocks[-1][1] > start:
            other, height, many, earlier = blocks.pop()
            start = (other * many + (start - height) * count) / (many + count)
            tall, count, members = height + tall, many + count, earlier + members
        blocks.append((start, tall, count, members))
    for start, _, _, members in blocks:
        for node in members:
            node.y = start
            start += node.height + GAP


def _anchors(lines: list[Line], boxes: dict[str, Box]) -> list[tuple[float, float]]:
    """Where on their sides each line leaves its target and reaches its entity: spread evenly, in the order of the far ends."""
    sides: dict[tuple[str, bool], list[tuple[float, int, int]]] = {}
    for number, line in enumerate(lines):
        target, source = boxes[line.relation.target], boxes[line.relation.entity]
        rightwards = target.layer < source.layer
        for end, own, other, right in (
            (0, target, source, rightwards or target.layer == source.layer),
            (1, source, target, not rightwards),
        ):
            sides.setdefault((own.name, right), []).append((other.y + other.height / 2, number, end))
    found = [[0.0, 0.0] for _ in lines]
    for (name, _), ends in sides.items():
        box = boxes[name]
        for rank, (_, number, end) in enumerate(sorted(ends), 1):
            found[number][end] = box.y + box.height * rank / (len(ends) + 1)
    return [(one, two) for one, two in found]


def _points(
    line: Line, way: list[_Node], boxes: dict[str, Box], layers: list[list[_Node]], anchors: tuple[float, float]
) -> list[tuple[float, float]]:
    """From the right side of the target to the left side of what refers to it, or round the outside within one layer."""
    target, source = boxes[line.relation.target], boxes[line.relation.entity]
    lefts = [min((n.box.x for n in layer if n.box), default=0.0) for layer in layers]
    widest = [max((n.box.width for n in layer if n.box), default=0.0) for layer in layers]
    points: list[tuple[float, float]] = []
    forward = target.layer < source.layer
    for node in way:
        if node.box is None:
            left, right = (lefts[node.layer], node.y), (lefts[node.layer] + widest[node.layer], node.y)
            points += [left, right] if forward else [right, left]
    start = target.x + target.width if forward or line.beside else target.x
    end = source.x if forward else source.x + source.width
    # out of the column first, so that a line passes no wider box that stands there too
    leaving = [(lefts[target.layer] + widest[target.layer], anchors[0])] if forward else []
    arriving = [] if forward or line.beside else [(lefts[source.layer] + widest[source.layer], anchors[1])]
    return [(start, anchors[0]), *leaving, *points, *arriving, (end, anchors[1])]
