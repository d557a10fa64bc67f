"""What is kept in several languages: a table of translations beside the table of what is translated, and a column for each."""

from __future__ import annotations

import re
from functools import lru_cache

from ..model import Entity, Field, KindSource, Source, World
from ..model.changing import changed
from ..values import SPOKEN, get_kind
from .guessed import Guessed
from .naming import folded

_TABLE = re.compile(r"(?i)(.+?)_?(?:translations?|i18n|l10n|locali[sz]ations?|trans|langs?|lng|locales?)$")
_DESCRIBING = re.compile(r"(?i)(.+?)_?(?:descriptions?|texts?)$")  # product_description, where the texts of a product stand
_TELLS = re.compile(r"(.*_)?(lang(uage)?|locale|culture|i18n|lng)(_?(id|code|tag|key|uid))?")
# ISO 639-1, but for those that are English words or short forms of what names end in: no, is, at, id, to, lt, hi
_CODES = "en de fr es it nl pt pl sv da fi nb cs sk sl hu ro bg hr el tr ru uk ar fa zh ja ko vi th et".split()
_COLUMN = re.compile(rf"(.+?)_(?:(lang|language|locale)_?\d{{1,2}}|({'|'.join(_CODES)})(?:_(?:[a-z]{{2}}|hans|hant))?)$")


def translated_entity(world: World, entity: Entity) -> str | None:
    """The name of the entity whose texts this one holds in other languages: `product` of `product_translation`."""
    told = _DESCRIBING.fullmatch(entity.name)
    if told is not None and any(relation.target == told[1] for relation in entity.relations):
        return told[1]
    found = _TABLE.fullmatch(entity.name)
    if found is None or not any(_TELLS.fullmatch(folded(field.name)) for field in entity.fields):
        return None
    base = found[1]
    names = {other.name.lower() for other in world.entities}
    targets = [relation.target for relation in entity.relations]
    known = {base.lower(), f"{base.lower()}s"} & names
    return base if known or any(_is_part(target, base) for target in targets) else None


def _is_part(target: str, base: str) -> bool:
    """Whether the entity referred to is called like this, with another beginning: `shop_product` beside `product`."""
    one, other = folded(target.rpartition(".")[2]), folded(base.rpartition(".")[2])
    return one.endswith(f"_{other}") or other.endswith(f"_{one}")


@lru_cache(maxsize=4096)
def without_language(fields: tuple[str, ...]) -> dict[str, tuple[str, str | None]]:
    """By field, the name that it has without its language, and the language where texts can be made in it: `name_en` beside
    `name_de`, `title_lang1` beside `title_lang2`, `title_fr` beside `title`."""
    found = {name: match for name in fields if (match := _COLUMN.fullmatch(folded(name))) is not None}
    stems: dict[str, int] = {}
    for match in found.values():
        stems[match[1]] = stems.get(match[1], 0) + 1
    plain = {folded(name) for name in fields}
    told = {name: match for name, match in found.items() if stems[match[1]] + (match[1] in plain) > 1}
    return {name: (match[1], match[3] if match[3] in SPOKEN else None) for name, match in told.items()}


def in_its_language(source: Source, entity: Entity, field: Field) -> Source:
    """A source of texts with the language that the field's name tells, where the kind knows languages."""
    _, language = without_language(entity.field_names).get(field.name, ("", None))
    if language is None or not isinstance(source, KindSource) or "language" not in get_kind(source.kind).parameters:
        return source
    return changed(source, parameters=(*source.parameters, ("language", language)))


def spoken_first(candidates: list[Guessed], entity: Entity, field: Field) -> list[Guessed]:
    """The candidates, those first that are made in the language that the field's name tells, where the first is not."""
    _, language = without_language(entity.field_names).get(field.name, ("", None))
    if language in (None, "en") or isinstance(candidates[0].source, KindSource):
        return candidates
    spoken = [one for one in candidates if "language" in _parameters(one.source) and one.guess.confidence >= 0.4]
    return [*spoken, *(one for one in candidates if one not in spoken)]


def _parameters(source: Source) -> tuple[str, ...]:
    return tuple(dict(source.parameters)) if isinstance(source, KindSource) else ()
