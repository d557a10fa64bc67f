"""YAML as it was written: plain texts with their places, typed by nobody yet."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

from ..model import Place, Problem
from ..model.problems import UnreadableError

Path = tuple[str | int, ...]
_QUOTE_HINT = "quote a text that begins with or holds one of [ ] { } , > | * & ! % @ # or a colon and a space"


@dataclass(slots=True)
class Tree:
    """Mappings, lists, texts and None; `places` knows where each path is written (a key, or a list's item)."""

    file: str
    data: Any = None
    places: dict[Path, Place] = field(default_factory=dict)
    values: dict[Path, Place] = field(default_factory=dict)
    quoted: set[Path] = field(default_factory=set)
    from_csv: set[str] = field(default_factory=set)  # entities whose fixed rows a CSV holds

    def place(self, path: Path) -> Place:
        """Where `path`, or the longest part of it that was written, stands."""
        while path and path not in self.places:
            path = path[:-1]
        return self.places.get(path, Place(file=self.file, line=1, column=1))

    def value_place(self, path: Path) -> Place:
        return self.values.get(path) or self.place(path)


_DEEPEST, _MOST_VALUES = 100, 300_000


def read_yaml(text: str, file: str) -> Tree:
    """Read one document; UnreadableError with place for broken YAML and for keys that stand twice."""
    from ruamel.yaml import YAML
    from ruamel.yaml.error import MarkedYAMLError, YAMLError

    tree = Tree(file)
    try:
        root = YAML(typ="safe", pure=True).compose(text)  # the other scanner marks the folds of texts
    except RecursionError:
        raise UnreadableError(Problem(fact=f"YAML of more than {_DEEPEST} levels", place=Place(file=file))) from None
    except MarkedYAMLError as error:
        mark = error.problem_mark or error.context_mark
        place = Place(file=file, line=mark.line + 1, column=mark.column + 1) if mark else Place(file=file)
        what = " ".join(str(error.problem or error.context or "").split())
        opened = error.context_mark if "<stream end>" in what and error.context_mark else None
        hint = f"what is opened at line {opened.line + 1} is not closed" if opened else _QUOTE_HINT
        raise UnreadableError(Problem(fact=f"YAML that cannot be read: {what}", place=place, hint=hint)) from None
    except YAMLError as error:
        raise UnreadableError(
            Problem(fact=f"YAML that cannot be read: {str(error).splitlines()[0]}", place=Place(file=file))
        ) from None
    problems: list[Problem] = []
    tree.data = _convert(root, (), tree, problems) if root is not None else None
    if problems:
        raise UnreadableError(problems)
    return tree


def _convert(node: Any, path: Path, tree: Tree, problems: list[Problem]) -> Any:
    from ruamel.yaml.nodes import MappingNode, ScalarNode, SequenceNode

    here = Place(file=tree.file, line=node.start_mark.line + 1, column=node.start_mark.column + 1)
    if len(path) > _DEEPEST or len(tree.values) > _MOST_VALUES:
        what = f"more than {_DEEPEST} levels" if len(path) > _DEEPEST else f"more than {_MOST_VALUES:,} values"
        raise UnreadableError(
            Problem(fact=f"YAML of {what}", place=here, hint="an alias (*name) may stand for what holds it itself")
        )
    tree.values[path] = here
    tree.places.setdefault(path, here)
    if isinstance(node, ScalarNode):
        if node.style is None and node.value in ("null", "~", ""):
            return None
        if node.style is not None:
            tree.quoted.add(path)
        return str(node.value)
    if isinstance(node, SequenceNode):
        return [_convert(item, (*path, number), tree, problems) for number, item in enumerate(node.value)]
    assert isinstance(node, MappingNode)
    out: dict[str, Any] = {}
    for key_node, value_node in node.value:
        key = str(key_node.value)
        place = Place(file=tree.file, line=key_node.start_mark.line + 1, column=key_node.start_mark.column + 1)
        if key in out:
            problems.append(Problem(fact=f"'{key}' stands here twice", place=place, hint=f"first at {tree.places[(*path, key)]}"))
            continue
        tree.places[(*path, key)] = place
        out[key] = _convert(value_node, (*path, key), tree, problems)
    return out
