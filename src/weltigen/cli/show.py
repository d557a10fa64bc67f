"""Printing: aligned columns, a little colour in a terminal, and nothing else."""

from __future__ import annotations

import csv
import io
import json
import os
import re
import shutil
import sys
import textwrap
from collections.abc import Iterable, Mapping, Sequence
from datetime import datetime
from decimal import Decimal
from typing import Any, Literal

import click
from rich.cells import cell_len

from ..model import Entity
from ..model.fields import MASK

_COLOUR = re.compile(r"\x1b\[[0-9;]*m")
_CELL = 36  # a longer value is cut in tables of rows
_KEY, _LABEL = 12, 22  # and so are a key and the label beside it


def colourful() -> bool:
    return sys.stdout.isatty() and not os.environ.get("NO_COLOR")


def dim(text: str) -> str:
    return click.style(text, dim=True) if colourful() else text


def strong(text: str) -> str:
    return click.style(text, bold=True) if colourful() else text


def good(text: str) -> str:
    return click.style(text, fg="green") if colourful() else text


def bad(text: str) -> str:
    return click.style(text, fg="red") if colourful() else text


def warn(text: str) -> str:
    return click.style(text, fg="yellow") if colourful() else text


def out(text: str = "") -> None:
    sys.stdout.write(text + "\n")


def err(text: str) -> None:
    """Print what is wrong: broken between words where a terminal ends, but for a command that is there to be copied."""
    lines = text.split("\n")
    if sys.stderr.isatty():
        lines = [line if " --" in line else _between_words(line) for line in lines]
    sys.stderr.write("\n".join(lines) + "\n")


def _between_words(line: str) -> str:
    if len(line) <= width():
        return line
    indent = line[: len(line) - len(line.lstrip())]
    return textwrap.fill(line, width(), subsequent_indent=indent + "  ", break_long_words=False, break_on_hyphens=False)


def out_json(value: Any) -> None:
    out(json.dumps(value, indent=1, ensure_ascii=False, default=str))


def out_csv(rows: Sequence[Mapping[str, Any]]) -> None:
    """Rows as CSV, the names of the fields first; null is an empty cell."""
    writer = csv.writer(sys.stdout, lineterminator="\n")
    if rows:
        writer.writerow(rows[0])
        writer.writerows([cell(value) for value in row.values()] for row in rows)


def named(source: str) -> str:
    """A source as it can be printed: a URL without its password."""
    return re.sub(r"(://[^/@:]*):[^@/]*@", r"\1:…@", source)


def wrapped(text: str) -> str:
    """A long line of parts on several, none of which is cut in two."""
    return textwrap.fill(text.replace(" · ", "\xa0· "), width(), subsequent_indent="  ").replace("\xa0", " ")


def width() -> int:
    return max(60, min(shutil.get_terminal_size((110, 24)).columns, 160))


def cell(value: Any) -> str:
    """A value as tables show it: an empty cell is null, and an empty text shows its quotes."""
    if value is None:
        return ""
    if isinstance(value, bool):
        return "true" if value else "false"
    if isinstance(value, datetime):
        return value.isoformat(" ", "minutes" if not value.second and not value.microsecond else "seconds")
    if value == "":
        return "''"
    if isinstance(value, bytes):
        return f"{len(value)} bytes"
    return str(value).replace("\n", "⏎")


def hanging(text: str, start: int) -> str:
    """A text that begins in column `start`, broken between words where a terminal ends; elsewhere it stays one line."""
    if not sys.stdout.isatty() or len(text) + start <= width():
        return text
    lines = textwrap.wrap(text, max(20, width() - start), break_long_words=False, break_on_hyphens=False)
    return ("\n" + " " * start).join(lines)


def columns(rows: Iterable[Sequence[str]], *, right: Sequence[int] = (), indent: int = 2, gap: int = 2) -> list[str]:
    """Rows of texts as aligned lines; the columns in `right` are aligned to the right, the last one is broken between words."""
    listed = [list(row) for row in rows]
    if not listed:
        return []
    wide = width() - indent if sys.stdout.isatty() else None
    sizes = [[cell_len(_COLOUR.sub("", text) if "\x1b" in text else text) for text in row] for row in listed]
    widest = [max(column) for column in zip(*sizes, strict=True)]
    if wide is not None and sum(widest) + gap * len(widest) > wide:
        lines = _broken(listed, right, gap, wide)
    else:  # a thousand lines take a moment, not half a second
        lines = []
        for row, lengths in zip(listed, sizes, strict=True):
            parts = zip(row, lengths, widest, strict=True)
            padded = [
                " " * (most - size) + text if at in right else text + " " * (most - size)
                for at, (text, size, most) in enumerate(parts)
            ]
            lines.append((" " * gap).join(padded))
    return [" " * indent + line.rstrip() for line in lines]


def _broken(rows: Sequence[Sequence[str]], right: Sequence[int], gap: int, wide: int) -> list[str]:
    """The lines of a table whose last column is broken between words."""
    from rich.console import Console
    from rich.table import Table
    from rich.text import Text

    last = len(rows[0]) - 1
    grid = Table.grid(padding=(0, gap, 0, 0))
    for number in range(last + 1):
        side: Literal["left", "right"] = "right" if number in right else "left"
        grid.add_column(justify=side, no_wrap=number < last or number in right, overflow="fold")
    for row in rows:
        grid.add_row(*map(Text.from_ansi, row))
    console = Console(
        width=wide, color_system="standard" if colourful() else None, file=io.StringIO(), force_terminal=colourful()
    )
    with console.capture() as captured:
        console.print(grid)
    return captured.get().splitlines()


def masked(rows: Sequence[dict[str, Any]], entity: Entity, reveal: bool = False) -> list[dict[str, Any]]:
    """The rows with three dots in place of what is secret, unless it is to be shown."""
    secret = set() if reveal else {field.name for field in entity.fields if field.secret}
    return [{name: MASK if name in secret else value for name, value in row.items()} for row in rows]


def table(rows: Sequence[dict[str, Any]], names: Sequence[str], labels: Sequence[dict[str, str]] = ()) -> list[str]:
    """Rows of values under their names, as many columns as the terminal holds; says which are left out.

    `labels` say by column what the row that a key names is called.
    """
    numbers = [
        i
        for i, name in enumerate(names)
        if any(isinstance(row.get(name), int | float | Decimal) and not isinstance(row.get(name), bool) for row in rows)
    ]
    texts = [[_cut(cell(row.get(name))) for name in names] for row in rows]
    for i, name in enumerate(names):
        if any(name in one for one in labels):
            _beside(texts, i, [one.get(name) for one in labels], right=i in numbers)
            numbers = [number for number in numbers if number != i]
    used, fitting = 2, 0
    for i, name in enumerate(names):
        used += max([len(name), *(len(row[i]) for row in texts)]) + 2
        if used > width() and fitting:
            break
        fitting += 1
    lines = columns([list(names[:fitting]), *(row[:fitting] for row in texts)], right=[i for i in numbers if i < fitting])
    lines[0] = dim(lines[0])
    if fitting < len(names):
        lines.append(dim(f"  and {', '.join(names[fitting:])}"))
    return lines


def _beside(texts: list[list[str]], column: int, labels: Sequence[str | None], right: bool) -> None:
    """Keys with what they name: the beginning of a long key will do."""
    keys = [row[column] if len(row[column]) <= _KEY else f"{row[column][: _KEY - 4]}…" for row in texts]
    widest = max(map(len, keys))
    for row, key, label in zip(texts, keys, labels, strict=True):
        shown = key.rjust(widest) if right else key.ljust(widest)
        if label is None or label.rpartition(" ")[2] == key:  # a label that is the key says nothing more
            row[column] = shown
        else:
            row[column] = f"{shown} → {label if len(label) <= _LABEL else f'{label[: _LABEL - 1]}…'}"


def _cut(text: str) -> str:
    return text if len(text) <= _CELL else text[: _CELL - 1] + "…"
