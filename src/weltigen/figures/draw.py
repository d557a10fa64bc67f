"""The map as a picture, PNG or SVG by the file's ending."""

from __future__ import annotations

from itertools import pairwise
from pathlib import Path
from typing import Any

from ..model.problems import TargetError, UsageError
from ..plan import Plan
from .arrange import LINE, PAD, Arrangement, Box, Line, arrange

ENDINGS = (".png", ".svg")
_PAPER, _INK, _FAINT, _LINE, _OWNER, _CYCLE = "#fbfaf6", "#22303c", "#66737d", "#8796a1", "#2f6f73", "#b4552d"
_FILL = ("#e3edf0", "#f1ead9", "#e6ecdf", "#eee3e6", "#e4e4f0")
_MARGIN, _FOOT, _LEGEND = 0.45, 0.16, 0.55


def draw_map(plan: Plan, path: str | Path) -> Arrangement:
    """Draw the map of a plan into a file. UsageError for an ending that is not one of ENDINGS, TargetError for a failing disk."""
    path = Path(path)
    if path.suffix.lower() not in ENDINGS:
        raise UsageError(f"a picture ends in .png or .svg, not as {path.name}", hint=f"-o {path.stem}.svg")
    from matplotlib import rc_context
    from matplotlib.backends.backend_agg import FigureCanvasAgg
    from matplotlib.figure import Figure

    arrangement = arrange(plan)
    width, height = arrangement.width + 2 * _MARGIN, arrangement.height + 2 * _MARGIN + _LEGEND
    figure = Figure(figsize=(max(width, 7.0), height), facecolor=_PAPER)
    FigureCanvasAgg(figure)
    axes = figure.add_axes((0, 0, 1, 1))
    axes.set_xlim(-_MARGIN, max(width, 7.0) - _MARGIN)
    axes.set_ylim(arrangement.height + _MARGIN + _LEGEND, -_MARGIN)
    axes.axis("off")
    for line in arrangement.lines:
        _draw_line(axes, line)
    for loop in arrangement.loops:
        _draw_loop(axes, loop, arrangement.boxes[loop.relation.entity])
    for box in arrangement.boxes.values():
        _draw_box(axes, box)
    _draw_legend(axes, arrangement.height + _MARGIN * 0.7)
    try:
        # one inch is 100 dots, fewer where the whole would be too large to open; no date, so that the same map is the same file
        dots = min(100.0, 12_000 / max(width, height))
        metadata: dict[str, Any] = {"Date": None} if path.suffix.lower() == ".svg" else {"Software": None}
        with rc_context({"svg.hashsalt": "weltigen", "svg.fonttype": "none"}):
            figure.savefig(path, dpi=dots, facecolor=_PAPER, metadata=metadata)
    except OSError as error:
        raise TargetError(f"{path}: {(error.strerror or str(error)).lower()}") from None
    return arrangement


def _draw_box(axes: Any, box: Box) -> None:
    from matplotlib.patches import FancyBboxPatch

    fill = _FILL[box.layer % len(_FILL)]
    style = "round,pad=0,rounding_size=0.07"
    shape = FancyBboxPatch(
        (box.x, box.y), box.width, box.height, boxstyle=style, facecolor=fill, edgecolor=_INK, linewidth=0.9, zorder=3
    )
    axes.add_patch(shape)
    for number, text in enumerate(box.lines):
        weight, colour, size = ("bold", _INK, 9.5) if number == 0 else ("normal", _FAINT, 8)
        y = box.y + PAD + (number + 0.5) * LINE
        axes.text(box.x + PAD, y, text, va="center", ha="left", fontsize=size, fontweight=weight, color=colour, zorder=4)


def _colour(line: Line) -> tuple[str, float, str]:
    if line.broken:
        return _CYCLE, 1.3, "--"
    return (_OWNER, 1.6, "-") if line.owner else (_LINE, 1.0, "-")


def _draw_line(axes: Any, line: Line) -> None:
    from matplotlib.patches import PathPatch
    from matplotlib.path import Path as Curve

    colour, width, style = _colour(line)
    points = line.points
    sign = 1.0 if points[-1][0] > points[0][0] and not line.beside else -1.0
    same_layer = line.beside
    vertices, codes = [points[0]], [Curve.MOVETO]
    for (x0, y0), (x1, y1) in pairwise(points):
        bend = 0.7 if same_layer else (x1 - x0) / 2
        vertices += [(x0 + bend, y0), (x1 + bend if same_layer else x1 - bend, y1), (x1, y1)]
        codes += [Curve.CURVE4] * 3
    axes.add_patch(
        PathPatch(Curve(vertices, codes), facecolor="none", edgecolor=colour, linewidth=width, linestyle=style, zorder=1)
    )
    outward = 1.0 if same_layer else sign
    _draw_end(axes, points[0], outward, colour, optional=line.optional)
    _draw_foot(axes, points[-1], 1.0 if same_layer else -sign, colour, many=line.many)


def _draw_end(axes: Any, at: tuple[float, float], side: float, colour: str, *, optional: bool) -> None:
    """At the target: a bar where every row refers to one, a ring where a row need not."""
    x, y = at
    if optional:
        axes.plot(
            [x + side * 0.09],
            [y],
            marker="o",
            markersize=5,
            markerfacecolor=_PAPER,
            markeredgecolor=colour,
            markeredgewidth=1.1,
            zorder=2,
        )
    else:
        axes.plot([x + side * 0.08] * 2, [y - 0.06, y + 0.06], color=colour, linewidth=1.2, zorder=2)


def _draw_foot(axes: Any, at: tuple[float, float], side: float, colour: str, *, many: bool) -> None:
    """At the entity that refers: a foot where several rows may refer to the same one, a bar where one may."""
    x, y = at
    if many:
        for spread in (-0.075, 0.075):
            axes.plot([x + side * _FOOT, x], [y, y + spread], color=colour, linewidth=1.1, zorder=2)
    else:
        axes.plot([x + side * 0.08] * 2, [y - 0.06, y + 0.06], color=colour, linewidth=1.2, zorder=2)


def _draw_loop(axes: Any, line: Line, box: Box) -> None:
    from matplotlib.patches import PathPatch
    from matplotlib.path import Path as Curve

    colour, width, style = _colour(line)
    top, left = box.y, box.x + box.width * 0.45
    right = left + 0.5
    curve = Curve(
        [(left, top), (left - 0.1, top - 0.36), (right + 0.1, top - 0.36), (right, top)],
        [Curve.MOVETO, Curve.CURVE4, Curve.CURVE4, Curve.CURVE4],
    )
    axes.add_patch(PathPatch(curve, facecolor="none", edgecolor=colour, linewidth=width, linestyle=style, zorder=1))
    if line.optional:
        axes.plot(
            [left - 0.015], [top - 0.08], marker="o", markersize=5, markerfacecolor=_PAPER, markeredgecolor=colour, zorder=2
        )
    for spread in (-0.06, 0.06) if line.many else ():
        axes.plot([right + 0.02, right + spread], [top - 0.13, top], color=colour, linewidth=1.1, zorder=2)


def _draw_legend(axes: Any, y: float) -> None:
    """What the ends and colours mean, in one row."""
    x = 0.0
    for text, optional, many, colour, style in (
        ("each row refers to one, several may refer to the same", False, True, _LINE, "-"),
        ("may refer to none, one at most to each", True, False, _LINE, "-"),
        ("rows are made for each of its rows", False, True, _OWNER, "-"),
        ("a cycle, broken here", True, True, _CYCLE, "--"),
    ):
        axes.plot([x, x + 0.6], [y, y], color=colour, linewidth=1.2, linestyle=style)
        _draw_end(axes, (x, y), 1.0, colour, optional=optional)
        _draw_foot(axes, (x + 0.6, y), -1.0, colour, many=many)
        axes.text(x + 0.68, y, text, va="center", ha="left", fontsize=7.5, color=_FAINT)
        x += 0.95 + len(text) * 0.066
