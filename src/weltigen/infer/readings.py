"""How the words of a name may be read: whole, turned round, without their last, and those of a comment."""

from __future__ import annotations

from collections.abc import Iterator

from ..model import (
    Field,
    TypeName,
)
from ..model.types import INTEGERS, NUMBERS, TEXTS
from ..values.vocabulary import by_noun
from .around import Around
from .called_by_noun import has_called
from .concepts import Found, matching
from .naming import folded, singular
from .nouns import what_is


def reason_of(found: Found, words: tuple[str, ...]) -> str:
    end = " ".join(found.words)
    if found.whole:
        return "its name"
    return f"the end of its name, {end}" if words[-1] == found.words[-1] else f"its name begins with {end}"


def is_each(found: Found, words: tuple[str, ...]) -> bool:
    """Whether a concept is of what a number is told for: places per year are no year."""
    end = len(found.words)
    return end < len(words) and found.words == words[-end:] and words[-end - 1] == "per"


def readings(around: Around, field: Field) -> Iterator[tuple[tuple[str, ...], float, str]]:
    """The words of a field's name, and in what other order they may be read; then those of its comment."""
    words = around.words[field.name]
    if not words:
        return
    whole = around.whole[field.name]
    if whole != words:
        yield whole, 1.01, ""
    elif around.head and (around.head, *words) != ("user", "name"):
        yield (around.head, *words), 0.99 if len(words) == 1 else 1.0, ""
    if words == ("value",) and around.head in _VALUES:
        yield around.noun[-2:], 1.08, f"the value of a {around.head}"
    yield words, 1.0, ""
    if field.type.name in INTEGERS and whole[-1:] == ("number",) and whole[:-1] == (around.head,) and around.head in _IN_ORDER:
        yield ("position",), 1.1, f"which {around.head} of several it is"
    reached = around.has(
        "email", "phone", "street", "city", "first name", "postcode", "line 1", "birth date", "telephone", "mobile"
    )
    if whole in IN_FULL and field.type.name in TEXTS and what_is(around.head) != "person" and around.head and not reached:
        yield (around.head, "name"), 1.04, f"the whole name of a {around.head}"
    if words == ("column",) and folded(field.name) == "col" and field.type.name in TEXTS and not around.of_systems:
        yield ("colour",), 1.15, "col is a colour"
    if words == ("power",) and folded(field.name) == "leistung" and field.type.name in TEXTS:
        yield ("service", "performed"), 1.1, "a Leistung that is a text is what is done"
    if words == ("product",) and field.type.name in TEXTS and has_called(around.noun):
        yield (around.head, "name"), 1.05, f"which {around.head} it is"
    if len(words) == 2 and words[1] in ("first", "last") and what_is(words[0]) == "person" and field.type.name in TEXTS:
        yield (words[1], "name"), 1.15, f"the {words[1]} name of a {words[0]}"
    if words == ("count",) and folded(field.name) == "anzahl":  # how many of something were bought
        yield ("quantity",), 1.05, ""
    yield from _by_last_word(around, field, words)
    yield from _in_another_order(around, field, words)
    if field.comment:
        comment = around.vocabulary.words(field.comment.split(".")[0][:60])
        yield tuple(word for word in comment if word not in ("the", "a", "of", "in", "for"))[-4:], 0.6, "its comment"


def _by_last_word(around: Around, field: Field, words: tuple[str, ...]) -> Iterator[tuple[tuple[str, ...], float, str]]:
    """Without a last word that says no more than a type or a unit, or with another word for it."""
    if len(words) > 2 and words[-2] == "per" and words[-1] in _PERIODS and field.type.name in NUMBERS:
        yield (*words[:-2], "count") if singular(words[-3]) != words[-3] else words[:-2], 0.97, f"so much in each {words[-1]}"
    if len(words) > 1 and words[-1] == "minimum" and (words[-2] in _TIMES or _is_minutes(around, words)):
        yield (*words[:-1], "minutes"), 1.02, ""
    if len(words) > 1 and words[-1] in _MEASURES:
        yield words[:-1], 0.96, ""
    if len(words) == 2 and words[-1] == "count" and field.type.name in NUMBERS:
        yield (f"{words[0]}s",), 0.98, ""  # of storeys there are few
    if field.type.name in TEXTS and words == ("ph",) and (field.room is None or field.room > 8):
        yield ("phone",), 1.05, ""
    if field.type.name in TEXTS and len(words) > 1 and words[-1] == "ph":
        yield (*words[:-1], "phone"), 1.05, ""
    if len(words) == 2 and words[-1] == "name" and words[0] in _PARTS_OF_NAMES:
        yield (_PARTS_OF_NAMES[words[0]], "name"), 1.1, ""
    if words[-1].isdigit() and len(words) > 1:
        yield words[:-1], 0.97, ""
    if field.type.name in TEXTS and len(words) > 1 and words[-1] == "text" and words[-2] in ("title", "name", "subject", "label"):
        yield words[:-1], 1.02, ""
    if field.type.name in TEXTS and len(words) > 1 and words[-1] in _FORMATS:
        yield words[-1:], 1.1, ""
    if field.type.name is TypeName.JSON and len(words) > 1 and words[-1] in ("json", "jsonb", "data", "info", "list"):
        yield words[:-1], 0.97, ""
    if len(words) > 1 and words[-1] in _UNITS:
        yield (*words[:-1], _UNITS[words[-1]]), 1.0, ""
    if len(words) > 1 and words[0] == "number" and field.type.name in NUMBERS:
        yield (*words[1:], "count"), 1.0 if words[1] == "of" else 1.15, ""  # num_stars are no rating
    if field.type.name in NUMBERS and words[0] in HIGHEST and words[1:] and words[1:] in around.words.values():
        for one, trust in (((around.head, *words[1:]), 0.98), (words[1:], 0.97)):
            yield one, trust, "the most of what stands beside it"


def _in_another_order(around: Around, field: Field, words: tuple[str, ...]) -> Iterator[tuple[tuple[str, ...], float, str]]:
    """The head of the name put last, as in English."""
    said = field.type.name in TEXTS and singular(words[-1]) in _SAID  # by whoever stands before it, who is not meant
    if (
        len(words) == 2
        and not said
        and not _ends_in_its_head(around, field, words)
        and (singular(words[-1]) not in _HEADS or words[0] in ("note", "notes"))
    ):
        yield (words[1], words[0]), 0.93, ""
    few = tuple(word for word in words if word not in ("de", "du", "des", "la", "le", "del", "d", "l", "of"))
    if 1 < len(few) < 4 and (
        around.vocabulary.language in ("fr", "es", "it", "pt")
        or few[0] in ("date", "number", "name", "time", "code", "total", "max", "min")
    ):
        foreign = around.vocabulary.language in ("fr", "es", "it", "pt")
        head_first = foreign and len(few) == 2 and not {few[1]} & (_UNITS.keys() | _NO_COMPLEMENTS)  # the country that issues it
        yield tuple(reversed(few)), 1.02 if head_first else 0.99, ""
        if len(few) == 3:
            yield (few[1], few[2], few[0]), 0.97, ""
    if field.type.name in TEXTS and singular(words[-1]) in _LISTED and singular(words[-1]) != words[-1]:  # excluded_ips
        yield (*words[:-1], singular(words[-1])), 0.9, ""


# what stands behind a noun in those languages and is no noun that belongs to it
_NO_COMPLEMENTS = frozenset(
    "percent rate count number code id type date time at on total gross net low high minimum maximum".split()
)
# the most that a number was, or may be: `peak_rating`, beside `rating`
HIGHEST = frozenset("peak max maximum highest".split())
_LISTED = frozenset(
    "ip email url agent host domain hostname phone uri".split()
)  # of which a text may hold one as well as several
_FORMATS = frozenset("html markdown md xml yaml svg csv".split())  # in which a text of any name is written
_SAID = frozenset(("comment", "remark", "feedback"))
_VALUES = frozenset(  # entities whose rows are of one value
    "uri url email phone ip domain hostname tag keyword language colour color price amount temperature weight rating score "
    "reading measurement iban origin header synonym alias nickname locale version".split()
)
_PERIODS = frozenset("year month week day hour term semester season quarter visit session night shift".split())
_IN_ORDER = frozenset("page line row leg stop step round chapter section lap episode verse track slide frame stage phase".split())
IN_FULL = (("full", "name"), ("long", "name"), ("name", "full"), ("name", "long"))
_HEAD_FIRST = frozenset(  # nouns that English names put before what says which: `phone_home`, `amount_paid`
    "phone mobile fax email mail address price amount date time number name code weight height length width depth tax cost "
    "rate fee total state size quantity balance discount note text file image photo city town country street zip postcode "
    "region temperature pressure speed volume area score count unit value age year month day hour minute url link id person "
    "place start end first last min max minimum maximum average mean sum share percent percentage currency language lang "
    "locale account bank contact bio subject alarm list serialized description found message type status rating level limit "
    "index position hours days minutes".split()
)
_HEADS = frozenset(  # what a name that ends in one of these tells of is no matter of its other word
    "type status state id ids uid guid uuid by url path flag width height size position format mode method order level rank "
    "limit key kind token hash algorithm algo source json context theme policy template pattern rule option setting count "
    "attempts strategy alias prefix suffix body footer header constraint requirement flow link attempt expiry quota reason "
    "result response error handler driver version plugin module provider script query sender recipient subject label title "
    "description code mail email notification signature person".split()
)


_UNITS = {
    "s": "seconds",
    "h": "hours",
    "l": "litres",
    "c": "celsius",
    "v": "volts",
    "w": "watts",
    "g": "grams",
    "m": "metres",
    "k": "kelvin",
}


def _ends_in_its_head(around: Around, field: Field, words: tuple[str, ...]) -> bool:
    """Whether the last word of an English name is what the text is of, so that it is not one of what stands before: a gate's
    material, a home mooring."""
    if around.vocabulary.language != "en" or field.type.name not in TEXTS or singular(words[0]) in _HEAD_FIRST:
        return False
    last = singular(words[-1])
    return last in by_noun() or any(found.whole and found.concept.types & TEXTS for found in matching((last,)))


_PARTS_OF_NAMES = {"f": "first", "l": "last", "m": "middle", "s": "last", "g": "first"}  # f_nm, lName
_TIMES = frozenset("time duration delay downtime setup wait interval late length lasts runtime overtime pressing".split())


_COUNTED = frozenset(
    "age price stock quantity temperature order amount value players score level rate size weight length speed height".split()
)


def _is_minutes(around: Around, words: tuple[str, ...]) -> bool:
    """Whether `min` stands for minutes: nothing has a greatest value of it, and it is nothing that has a least one."""
    return words[-2] not in _COUNTED and (*words[:-1], "maximum") not in around.words.values()


_MEASURES = frozenset(
    "minimum maximum average mean from to low high lower upper peak old new previous current target source destination".split()
)
