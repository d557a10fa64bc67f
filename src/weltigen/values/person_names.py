"""Given and family names by locale, the commonest first; of other scripts with their Latin form.

A file of data/names is a locale: a language, or a language of one country where its names differ (en-US). A name in another
script stands before its Latin form, `Ελένη=Eleni`; an underscore is a blank.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable
from dataclasses import dataclass, field
from functools import lru_cache
from importlib.resources import files
from itertools import chain, zip_longest

from .pools import fold

FAMILY_FIRST = frozenset({"ja"})  # languages in which the family name stands before the given one


@dataclass(frozen=True, slots=True)
class Names:
    """The names of a locale. `given` are those of women and men in turn; none folds to another of its list."""

    women: tuple[str, ...]
    given: tuple[str, ...]
    families: tuple[str, ...]
    latin: dict[str, str] = field(default_factory=dict)  # by name, of names in another script
    of_women: Callable[[str], str] | None = None  # the form of a family name that women have, where it is another

    @property
    def family_forms(self) -> tuple[str, ...]:
        """Family names as men have them, then as women have them where these differ."""
        return (*self.families, *map(self.of_women, self.families)) if self.of_women is not None else self.families


def locale_of(tag: str) -> str:
    """The locale whose names stand for a tag of BCP 47: that of the country, else of the language, else English."""
    language, *more = tag.replace("_", "-").split("-")
    known = _locales()
    return next((one for one in (*(f"{language}-{part.upper()}" for part in more), language) if one in known), "en")


@lru_cache(maxsize=1)
def _locales() -> frozenset[str]:
    return frozenset(
        path.name.removesuffix(".txt")
        for path in (files("weltigen.values") / "data" / "names").iterdir()
        if path.name[-4:] == ".txt"
    )


@lru_cache(maxsize=16)
def names(tag: str) -> Names:
    """The names of a tag's locale."""
    locale = locale_of(tag)
    lists: dict[str, list[str]] = {"women": [], "men": [], "families": []}
    latin: dict[str, str] = {}
    for line in (files("weltigen.values") / "data" / "names" / f"{locale}.txt").read_text("utf-8").splitlines():
        of, _, told = line.partition(": ")
        for name in told.replace("_", "\N{NO-BREAK SPACE}").split(" "):
            written, _, spelled = name.replace("\N{NO-BREAK SPACE}", " ").partition("=")
            lists[of].append(written)
            if spelled:
                latin[written] = spelled
    given = [name for name in chain.from_iterable(zip_longest(lists["women"], lists["men"])) if name is not None]
    of_women = _OF_WOMEN.get(locale)
    if latin and of_women is not None:
        latin |= {of_women(name): of_women(spelled) for name, spelled in latin.items()}
    return Names(tuple(lists["women"]), tuple(given), tuple(lists["families"]), latin, of_women)


def _endings(*pairs: tuple[str, str]) -> Callable[[str], str]:
    """A name with the first of these ends replaced."""

    def change(name: str) -> str:
        for end, other in pairs:
            if name.endswith(end):
                return name.removesuffix(end) + other
        return name

    return change


_OF_WOMEN = {
    "pl": _endings(("ski", "ska"), ("cki", "cka"), ("dzki", "dzka")),
    "el": _endings(("όπουλος", "οπούλου"), ("ος", "ου"), ("ός", "ού"), ("ης", "η"), ("ής", "ή"), ("ας", "α"), ("άς", "ά"),
                   ("opoulos", "opoulou"), ("os", "ou"), ("is", "i"), ("as", "a")),
}  # fmt: skip


@lru_cache(maxsize=1)
def _every_latin() -> dict[str, str]:
    """Latin forms of all names in other scripts."""
    return {name: spelled for locale in sorted(_locales()) for name, spelled in names(locale).latin.items()}


def in_latin(name: str) -> str:
    """A name in Latin letters; as it is where no Latin form of it is known."""
    if not _OTHER_SCRIPT.search(name):
        return name
    known = _every_latin()
    return known.get(name) or " ".join(known.get(part, part) for part in name.split())


_OTHER_SCRIPT = re.compile("[^\u0000-\u024f\u1e00-\u1eff]")


@lru_cache(maxsize=65_536)
def folded_names(name: str) -> str:
    """A name as it stands in an address: Jürgen Groß is juergen.gross."""
    return fold(in_latin(name).translate(_AS_TWO)).replace("-", "")


_AS_TWO = str.maketrans({"ä": "ae", "ö": "oe", "ü": "ue", "ß": "ss", "Ä": "Ae", "Ö": "Oe", "Ü": "Ue", "ø": "o", "æ": "ae",
                         "ł": "l", "Ł": "L", "ı": "i", "đ": "d", "Đ": "D", "þ": "th", "ð": "d"})  # fmt: skip


def apart(listed: Iterable[str]) -> tuple[str, ...]:
    """Names of which no two fold alike: of those that do the first."""
    return tuple({folded_names(name): name for name in reversed(tuple(listed))}.values())[::-1]
