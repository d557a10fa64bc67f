"""The world file: its form is checked by the grammar, its model is read, its wishes are put over that."""

from __future__ import annotations

import csv
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any

from ..model import FORMAT, Problem, Same, World
from ..model.literals import read_moment
from ..model.problems import UnreadableError, nearest
from ..model.ties import find_ties
from ..values import LANGUAGES
from .field_sections import FieldSection
from .grammar import SYNONYMS, EntitySection, WorldSection
from .overlay import Overlay
from .own_kinds import own_kinds
from .yaml_tree import Tree, read_yaml


def read_world_file(text: str, file: Path, read_model: Callable[[str, str | None], World]) -> World:
    """The world of a file's text; `read_model` reads the source that its `model` key names, given the dialect."""
    tree = read_yaml(text, str(file))
    if not isinstance(tree.data, dict):
        raise UnreadableError(
            Problem(fact="a world file is a mapping", place=tree.place(()), hint='it begins with "weltigen: 3"')
        )
    _inline_csv(tree, file.parent)
    part = _check_form(tree)
    problems = _check_settings(part, tree)
    if problems:
        raise UnreadableError(problems)
    base = World(name=str(file), entities=())
    if part.model is not None:
        base = read_model(part.model, part.dialect)
        base = base.as_stored if part.guesses == "plain" else base
    elif not part.entities:
        raise UnreadableError(
            Problem(fact="neither a model nor entities are declared", place=tree.place(()), hint="add model: SOURCE")
        )
    functions, lists = own_kinds(part, tree, file.parent)
    overlay = Overlay(replace(base, name=str(file), sources=(str(file), *base.sources)), tree, lists)
    world = overlay.apply(part.entities)
    if overlay.problems:
        raise UnreadableError(overlay.problems)
    window = (part.window[0], part.window[1]) if part.window else base.window
    same = tuple(Same(text=name, place=tree.value_place(("same", i))) for i, name in enumerate(part.same)) or base.same
    world = replace(world, same=same)
    if untied := find_ties(world)[1]:
        raise UnreadableError(untied)
    protected = tuple(part.protected) if part.protected is not None else base.protected
    spoken = _languages(part) if part.language is not None else {"language": base.language, "languages": base.languages}
    return replace(
        world, seed=part.seed, now=part.now, window=window, protected=protected, **spoken, guesses=part.guesses,
        password=part.password, kinds=(*base.kinds, *functions), places=part.places,
    )  # fmt: skip


def _inline_csv(tree: Tree, folder: Path) -> None:
    """Rows that `fixed: FILE.csv` names, and lists of `words: FILE.csv`, put in its place; an empty unquoted cell is null."""
    for name, entity in (tree.data.get("entities") or {}).items():
        for key in ("fixed", "words"):
            source = entity.get(key) if isinstance(entity, dict) else None
            if not isinstance(source, str):
                continue
            place = tree.value_place(("entities", name, key))
            try:
                with (folder / source).open(newline="", encoding="utf-8") as lines:
                    rows = list(csv.DictReader(lines))
            except (OSError, UnicodeDecodeError) as error:
                reason = getattr(error, "strerror", None) or str(error)
                raise UnreadableError(Problem(fact=f"{source} cannot be read: {reason}", place=place)) from None
            if key == "fixed":
                tree.from_csv.add(name)
                entity[key] = [{column: value or None for column, value in row.items()} for row in rows]
            else:
                lists: dict[str, list[str]] = {}
                for row in rows:
                    for column, value in row.items():
                        if column and isinstance(value, str) and value.strip():
                            lists.setdefault(column.strip(), []).append(value.strip())
                entity[key] = lists


def _check_form(tree: Tree) -> WorldSection:
    from pydantic import ValidationError

    try:
        return WorldSection.model_validate(tree.data)
    except ValidationError as error:
        found = (_form_problem(detail, tree) for detail in error.errors(include_url=False))
        raise UnreadableError(list({str(problem): problem for problem in found}.values())) from None


def _form_problem(detail: Any, tree: Tree) -> Problem:
    path = tuple(
        part for part in detail["loc"] if part not in ("scalar", "mapping", "list") or _written(tree, detail["loc"], part)
    )
    where = ".".join(map(str, path[:-1][1:] if path[:1] == ("entities",) else path[:-1]))
    place = tree.place(path)
    if detail["type"] == "extra_forbidden":
        key = str(path[-1])
        if (cut := _cut_expression(tree, path)) is not None:
            return cut
        return Problem(fact=f"{where + ': ' if where else ''}no key is called '{key}' here", place=place,
                       hint=nearest(key, _keys_at(path), synonyms=SYNONYMS))  # fmt: skip
    if detail["type"] == "missing":
        hint = f'the file begins with "weltigen: {FORMAT}"' if path == ("weltigen",) else None
        return Problem(fact=f"{where + ': ' if where else ''}'{path[-1]}' is missing", place=place, hint=hint)
    message = detail["msg"].removeprefix("Value error, ").replace("Input should be", "should be")
    return Problem(fact=f"{'.'.join(map(str, path))}: {message}", place=tree.value_place(path))


def _cut_expression(tree: Tree, path: tuple[Any, ...]) -> Problem | None:
    """An expression that is not quoted ends at its first comma, and what comes behind it is taken for keys."""
    around: Any = tree.data
    for part in path[:-1]:
        around = around[part] if isinstance(around, list) or part in around else None
        if around is None:
            return None
    before = None
    for key, value in around.items():
        if key == path[-1]:
            break
        if isinstance(value, str) and value.count("(") > value.count(")") and (*path[:-1], key) not in tree.quoted:
            before = key
    if before is None or around[path[-1]] is not None:
        return None
    return Problem(fact="this expression holds a comma: quote it", place=tree.value_place((*path[:-1], before)),
                   hint=f'{before}: "{around[before]}, …"')  # fmt: skip


def _written(tree: Tree, loc: tuple[Any, ...], part: Any) -> bool:
    return tuple(loc[: loc.index(part) + 1]) in tree.places


def _keys_at(path: tuple[Any, ...]) -> list[str]:
    """The keys that the grammar has where an unknown one stands."""
    from .grammar import CohortSection, CountSection, FavourSection, ReferenceSection, SpreadSection, StatesSection, TreeSection

    model: Any = WorldSection
    if path[:1] == ("entities",) and len(path) > 2:
        model = EntitySection
        inner = path[2:]
        if inner[0] == "fields" and len(inner) > 2:
            model = FieldSection
        elif inner[0] == "references" and len(inner) > 2:
            parts = {"favour": FavourSection, "rows": SpreadSection, "tree": TreeSection}
            model = parts.get(str(inner[2]), ReferenceSection) if len(inner) > 3 else ReferenceSection
        elif inner[0] == "rows" and len(inner) > 1:
            model = CountSection
        elif inner[0] == "cohorts" and len(inner) > 2:
            model = CohortSection
            if inner[2] in ("fields", "references") and len(inner) > 4:
                model = FieldSection if inner[2] == "fields" else ReferenceSection
        elif inner[0] == "states" and len(inner) > 1:
            model = StatesSection
    return [field.alias or name for name, field in model.model_fields.items()]


def _check_languages(part: WorldSection, tree: Tree) -> list[Problem]:
    problems = []
    several = part.language if isinstance(part.language, dict) else {}
    if part.language is not None and not several and not isinstance(part.language, str):
        problems.append(Problem(fact="language names none", place=tree.value_place(("language",)),
                                hint="language: {de-DE: 60, fr-FR: 40}"))  # fmt: skip
    for tag in [part.language] if isinstance(part.language, str) else several:
        if tag.partition("-")[0] not in LANGUAGES:
            path = ("language", tag) if several else ("language",)
            problems.append(Problem(fact=f"no names are known for language '{tag}'", place=tree.value_place(path),
                                    hint=f"there are: {', '.join(LANGUAGES)}"))  # fmt: skip
    for tag, weight in several.items():
        if not 0 < weight < float("inf"):
            problems.append(Problem(fact=f"language {tag} has the weight {weight:g}", place=tree.value_place(("language", tag)),
                                    hint="a weight is above 0; leave the language out, or give it one"))  # fmt: skip
    return problems


def _languages(part: WorldSection) -> dict[str, Any]:
    """The language of the world, and all of them with their weights where there are several, the largest first."""
    if not isinstance(part.language, dict):
        return {"language": part.language, "languages": ()}
    several = tuple(sorted(part.language.items(), key=lambda one: -one[1]))
    return {"language": several[0][0], "languages": several if len(several) > 1 else ()}


def _check_settings(part: WorldSection, tree: Tree) -> list[Problem]:
    problems = []
    if part.weltigen != FORMAT:
        older = part.weltigen < FORMAT
        command = f"sed -i 's/^weltigen: {part.weltigen}/weltigen: {FORMAT}/' {tree.file}"
        problems.append(Problem(
            fact=f"format {part.weltigen} is {'no longer made' if older else 'not known'}; this release writes format {FORMAT}",
            place=tree.value_place(("weltigen",)),
            hint=f"this brings it up to date; its rows are others then, by the same rules:\n{command}" if older else None,
        ))  # fmt: skip
    problems += _check_languages(part, tree)
    moments = []
    for path, text in [(("now",), part.now), *((("window", i), text) for i, text in enumerate(part.window or ()))]:
        if text in (None, "now"):
            continue
        try:
            moments.append(read_moment(text or ""))
        except ValueError as error:
            problems.append(Problem(fact=str(error), place=tree.value_place(path)))
    if part.window and not problems and "now" not in part.window and moments[-2] >= moments[-1]:
        problems.append(Problem(fact=f"the window ends ({part.window[1]}) before it begins ({part.window[0]})",
                                place=tree.value_place(("window",))))  # fmt: skip
    return problems
