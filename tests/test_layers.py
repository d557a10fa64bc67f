"""The folder tree is the diagram: each layer imports only from those before it, and no import runs up or in a circle."""

from __future__ import annotations

import ast
from graphlib import CycleError, TopologicalSorter
from pathlib import Path

import pytest

import weltigen

ROOT = Path(weltigen.__file__).parent
# a layer may import from itself and from every layer on an earlier line
LAYERS = [
    {"model", "randomness"},
    {"expression", "values"},
    {"stored"},
    {"readers", "infer"},
    {"plan"},
    {"rows"},
    {"planning"},
    {"engine"},
    {"measuring"},
    {"targets", "auditing", "drafting"},
    {"figures"},
    {"api"},
    {"cli"},
]
FORBIDDEN = {
    ("auditing", "plan"), ("auditing", "rows"), ("auditing", "planning"), ("auditing", "engine"), ("auditing", "targets"),
    ("randomness", "model"), ("readers", "infer"),
}  # fmt: skip
# the same within a layer: its folders and files, "." for all others; folders on one line do not import each other
ROOMS = {
    "plan": [{"ports"}, {"agreement", "child_blocks"}, {"ways"}, {"."}],
    "planning": [
        {"knowledge"},
        {"making"},
        {"counting", "choosing", "ruling"},
        {"delete_order", "passwords"},
        {"explaining"},
        {"."},
    ],
    "values": [{"vocabulary"}, {"."}],
    "infer": [{"naming"}, {"concepts"}, {"."}],
    "api": [{"dataset"}, {"records"}, {"."}],
    "stored": [
        {"names", "file_names", "connections"},
        {"locations"},
        {"sqlite_files", "floats"},
        {"sqlite"},
        {"formats"},
        {"stores"},
        {"."},
    ],
    "targets": [{"target", "handling", "locks", "append_guard"}, {"definitions"}, {"databases"}, {"."}],
    "auditing": [{"rule", "findings"}, {"choices"}, {"."}],
    "readers": [{"sections", "yaml_tree"}, {"choices"}, {"drafts"}, {"sql"}, {"metadata"}, {"live"}, {"."}],
}
INTERFACE = {"click", "rich"}

MODULES = {path: ("weltigen", *path.relative_to(ROOT).with_suffix("").parts) for path in sorted(ROOT.rglob("*.py"))}
NAMES = {".".join(parts[:-1] if parts[-1] == "__init__" else parts) for parts in MODULES.values()}


def imports(path: Path) -> set[str]:
    """Absolute names of the modules that a file imports, inside functions and for type checking too."""
    package = MODULES[path][:-1]
    found: set[str] = set()
    for node in ast.walk(ast.parse(path.read_text("utf-8"))):
        if isinstance(node, ast.Import):
            found.update(alias.name for alias in node.names)
        elif isinstance(node, ast.ImportFrom):
            start = package[: len(package) - node.level + 1] if node.level else ()
            base = ".".join([*start, *filter(None, [node.module])])
            found.update(name if (name := f"{base}.{alias.name}") in NAMES else base for alias in node.names)
    return found


@pytest.mark.parametrize("path", [path for path in MODULES if path.parent != ROOT], ids=lambda path: str(path.relative_to(ROOT)))
def test_a_module_imports_only_from_layers_before_its_own(path: Path) -> None:
    folder = path.relative_to(ROOT).parts[0]
    level = next(i for i, layer in enumerate(LAYERS) if folder in layer)
    allowed = {name for layer in LAYERS[: level + 1] for name in layer}
    for name in imports(path):
        parts = name.split(".")
        if parts[0] == "weltigen" and len(parts) > 1 and (ROOT / parts[1]).is_dir():
            assert parts[1] in allowed, f"{folder} imports {name}"
            assert (folder, parts[1]) not in FORBIDDEN, f"{folder} imports {name}"
            if parts[1] == folder and folder in ROOMS:
                rises_in_no_room(folder, MODULES[path], parts)
        assert folder == "cli" or parts[0] not in INTERFACE, f"{folder} imports {name}"


def rises_in_no_room(folder: str, importer: tuple[str, ...], imported: list[str]) -> None:
    (here, one), (there, other) = (room_of(folder, parts) for parts in (importer, imported))
    assert other <= one, f"{'.'.join(importer)} imports {'.'.join(imported)}, which lies above it"
    assert other < one or here == there, f"{'.'.join(importer)} imports {'.'.join(imported)}, of another room"


def room_of(folder: str, parts: tuple[str, ...] | list[str]) -> tuple[str, int]:
    """The room of a module within its layer, and its height."""
    known = {name: height for height, rooms in enumerate(ROOMS[folder]) for name in rooms}
    name = parts[2] if len(parts) > 2 and parts[2] in known else "."
    return name, known[name]


def test_no_import_runs_in_a_circle() -> None:
    edges = {}
    for path, parts in MODULES.items():
        own = ".".join(parts[:-1] if parts[-1] == "__init__" else parts)
        # a package's face stands above its modules, which never import it back
        edges[own] = {name for name in imports(path) if name in NAMES and name != own}
    try:
        TopologicalSorter(edges).prepare()
    except CycleError as error:
        pytest.fail(f"a circle of imports: {' → '.join(error.args[1])}")


def test_every_folder_has_its_layer_and_every_room_its_place() -> None:
    folders = {p.name for p in ROOT.iterdir() if p.is_dir() and any(p.glob("*.py"))}
    assert folders == {name for layer in LAYERS for name in layer}
    for folder in ROOT.iterdir():
        inner = {p.name for p in folder.iterdir() if p.is_dir() and any(p.glob("*.py"))} if folder.is_dir() else set()
        assert inner <= {name for rooms in ROOMS.get(folder.name, ()) for name in rooms}, folder


def test_the_data_files_of_the_package_stay_small() -> None:
    files = (path for path in ROOT.rglob("*") if path.is_file() and path.suffix != ".py" and "__pycache__" not in path.parts)
    assert 2_000_000 < sum(path.stat().st_size for path in files) < 3_000_000
