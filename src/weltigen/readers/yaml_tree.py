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
    tree = Tree(file)
    root = composed(text, file)
    problems: list[Problem] = []
    tree.data = _convert(root, (), tree, problems) if root is not None else None
    if problems:
        raise UnreadableError(problems)
    return tree


def composed(text: str, file: str) -> Any:
    """The nodes of one document, with the marks where each begins and ends; None where the text holds nothing."""
    import yaml

    # libyaml reads 25 times as fast as what is written in Python, which stands in where PyYAML was built without it
    loader = yaml.CBaseLoader if yaml.__with_libyaml__ else yaml.BaseLoader
    try:
        return yaml.compose(text, Loader=loader)
    except RecursionError:
        raise UnreadableError(Problem(fact=f"YAML of more than {_DEEPEST} levels", place=Place(file=file))) from None
    except yaml.MarkedYAMLError as error:
        raise UnreadableError(_broken(error, text, file)) from None
    except yaml.YAMLError as error:
        place, fact = Place(file=file), str(error).splitlines()[0]
        if (found := yaml.reader.Reader.NON_PRINTABLE.search(text)) is not None:
            before = text[: found.start()]
            place = Place(file=file, line=before.count("\n") + 1, column=len(before) - before.rfind("\n"))
            fact = f"the character U+{ord(found.group()):04X} is not allowed"
        raise UnreadableError(Problem(fact=f"YAML that cannot be read: {fact}", place=place)) from None


_PLAINLY = {"node content": "a value", "key": "a key", "'-' indicator": "a dash of the list"}


def _broken(error: Any, text: str, file: str) -> Problem:
    mark = error.problem_mark or error.context_mark
    place = Place(file=file, line=mark.line + 1, column=mark.column + 1) if mark else Place(file=file)
    what = " ".join(str(error.problem or error.context or "").split())
    expected = what.removeprefix("did not find expected ")  # as libyaml puts it
    if expected != what:
        what = f"{_PLAINLY.get(expected, expected)} should stand here"
    if what.startswith("but ") and error.context:
        what = f"{error.context}, {what}"
    hint = _QUOTE_HINT
    end = len(text.rstrip())
    if mark is not None and mark.index >= end and error.context_mark is not None:
        begun = error.context_mark.index
        opened = begun if begun < end else max(text.rfind("["), text.rfind("{"), 0)  # where nothing follows, the mark is the end
        hint = f"what is opened at line {text.count(chr(10), 0, opened) + 1} is not closed"
    elif mark is not None and text[mark.index : mark.index + 1] == "\t":
        hint = "indent with spaces, not with a tab"
    elif expected == "key":
        hint = "keys of one mapping begin in one column"
    elif "document" in what:
        hint = "take out the lines that are only ---"
    return Problem(fact=f"YAML that cannot be read: {what}", place=place, hint=hint)


def _convert(node: Any, path: Path, tree: Tree, problems: list[Problem]) -> Any:
    here = Place(file=tree.file, line=node.start_mark.line + 1, column=node.start_mark.column + 1)
    if len(path) > _DEEPEST or len(tree.values) > _MOST_VALUES:
        what = f"more than {_DEEPEST} levels" if len(path) > _DEEPEST else f"more than {_MOST_VALUES:,} values"
        raise UnreadableError(
            Problem(fact=f"YAML of {what}", place=here, hint="an alias (*name) may stand for what holds it itself")
        )
    tree.values[path] = here
    tree.places.setdefault(path, here)
    if node.id == "scalar":
        if not node.style and node.value in ("null", "~", ""):
            return None
        if node.style:
            tree.quoted.add(path)
        return str(node.value)
    if node.id == "sequence":
        return [_convert(item, (*path, number), tree, problems) for number, item in enumerate(node.value)]
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
