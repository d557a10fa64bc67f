"""`make docs`: docs/world-file.md, out of the grammar that reads world files and the kinds that fill fields."""

from __future__ import annotations

import sys
from pathlib import Path
from typing import Any

from weltigen.readers.field_sections import FieldSection
from weltigen.readers.grammar import CountSection, EntitySection, FavourSection, ReferenceSection, WorldSection
from weltigen.readers.sections import Section
from weltigen.values import get_kind, kind_names

PAGE = Path(__file__).parents[1] / "docs" / "world-file.md"
PARTS: list[tuple[str, type[Section]]] = [
    ("The file", WorldSection), ("An entity", EntitySection), ("`rows`: a number for each owner", CountSection),
    ("A reference", ReferenceSection), ("`favour`", FavourSection), ("A field", FieldSection),
]  # fmt: skip
INTRODUCTION = """# The world file

YAML that says what a declared model leaves open: how many rows, which values, what goes with what. Every key but
`weltigen` is optional; without any world file a bare model is filled too. This page is made from the grammar that reads
the file (`make docs`); `weltigen grammar` prints the same as a JSON Schema for editors.

- Values are read as they are written and typed by the field they are for: `01234` stays a text for a text field, `12.50`
  is an exact decimal, `NO` and `on` are texts. Only an unquoted `null` is null.
- Expressions are SQL. `sailing.departs_at` is the field of the row that `sailing` refers to.
- A share is `0.12` or `12%`; a span is `90 days` or `P90D` (weeks, days, hours, minutes, seconds).
"""


def row(name: str, field: Any) -> str:
    default = (
        "required" if field.is_required() else "" if field.default is None or field.default_factory else f"`{field.default}`"
    )
    return f"| `{field.alias or name}` | {field.description.replace('|', chr(92) + '|')} | {default} |"


def page() -> str:
    lines = [INTRODUCTION]
    for title, part in PARTS:
        lines += [f"## {title}", "", (part.__doc__ or "").strip(), "", "| key | what it says | when not given |", "|---|---|---|"]
        lines += [row(name, field) for name, field in part.model_fields.items()]
        lines.append("")
    lines += ["## Kinds of value", "", "| kind | what it is | parameters | standard |", "|---|---|---|---|"]
    for name in kind_names():
        kind = get_kind(name)
        lines.append(f"| `{name}` | {kind.summary} | {', '.join(f'`{p}`' for p in kind.parameters)} | {kind.standard or ''} |")
    return "\n".join(lines) + "\n"


if __name__ == "__main__":
    if "--check" in sys.argv:
        sys.exit(0 if PAGE.read_text("utf-8") == page() else "docs/world-file.md is not what the grammar says: run make docs")
    PAGE.write_text(page(), "utf-8")
