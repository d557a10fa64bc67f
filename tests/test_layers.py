"""The folder tree is the diagram: each layer imports only from those before it."""

from __future__ import annotations

import ast
from pathlib import Path

import pytest

import weltigen

ROOT = Path(weltigen.__file__).parent
# a layer may import from itself and from every layer on an earlier line
LAYERS = [
    {"model", "randomness"},
    {"expression", "values"},
    {"readers", "infer"},
    {"plan"},
    {"engine"},
    {"targets", "auditing", "drafting"},
    {"figures"},
    {"api"},
    {"cli"},
]
FORBIDDEN = {("auditing", "engine"), ("auditing", "plan"), ("auditing", "targets"), ("randomness", "model"), ("readers", "infer")}
INTERFACE = {"click", "rich"}


def imports(path: Path) -> set[str]:
    """Absolute names of the modules that a file imports, inside functions too."""
    package = ("weltigen", *path.relative_to(ROOT).parts[:-1])
    found: set[str] = set()
    for node in ast.walk(ast.parse(path.read_text("utf-8"))):
        if isinstance(node, ast.Import):
            found.update(alias.name for alias in node.names)
        elif isinstance(node, ast.ImportFrom):
            start = package[: len(package) - node.level + 1] if node.level else ()
            base = ".".join([*start, *filter(None, [node.module])])
            found.add(base)
            found.update(f"{base}.{alias.name}" for alias in node.names)
    return found


@pytest.mark.parametrize("path", sorted(ROOT.glob("*/**/*.py")), ids=lambda path: str(path.relative_to(ROOT)))
def test_a_module_imports_only_from_layers_before_its_own(path: Path) -> None:
    folder = path.relative_to(ROOT).parts[0]
    level = next(i for i, layer in enumerate(LAYERS) if folder in layer)
    allowed = {name for layer in LAYERS[: level + 1] for name in layer}
    for name in imports(path):
        parts = name.split(".")
        if parts[0] == "weltigen" and len(parts) > 1 and (ROOT / parts[1]).is_dir():
            assert parts[1] in allowed, f"{folder} imports {name}"
            assert (folder, parts[1]) not in FORBIDDEN, f"{folder} imports {name}"
        assert folder == "cli" or parts[0] not in INTERFACE, f"{folder} imports {name}"


def test_every_folder_has_its_layer() -> None:
    folders = {p.name for p in ROOT.iterdir() if p.is_dir() and any(p.glob("*.py"))}
    assert folders == {name for layer in LAYERS for name in layer}
