"""The words of fields' names without what only says whose they are: the table's noun, or a mark that most of them bear."""

from __future__ import annotations

from collections import Counter
from functools import lru_cache

from ..model import Entity
from .naming import Vocabulary, abbreviations, folded, noun_of, singular
from .translated import without_language

_MOST = 0.6  # of the fields of an entity bear what is taken for its mark


def plain_words(entity: Entity, vocabulary: Vocabulary) -> dict[str, tuple[str, ...]]:
    """The words of each field's name, without the mark that most names of the entity begin with: `hire_line_price` is a price."""
    referring = frozenset(column for relation in entity.relations for column in relation.columns)
    return dict(_plain(entity.name.rpartition(".")[2], entity.field_names, referring, vocabulary))


def noun_words(entity: Entity, vocabulary: Vocabulary) -> tuple[str, ...]:
    """The words of an entity's name, each without its plural."""
    return tuple(singular(word) for word in noun_of(vocabulary.words(entity.name.rpartition(".")[2])))


def without_noun(words: tuple[str, ...], noun: tuple[str, ...], shared: tuple[str, ...] = ()) -> tuple[str, ...]:
    """A field's words without those of its table that it begins with, or that most others do: `usr_nm` of users is a name."""
    for length in range(min(len(noun), len(words) - 1), 0, -1):
        if _begins(words, noun[-length:]):
            return words[length:]
    return _without(words, shared) if shared else words


def own_words(entity: Entity, vocabulary: Vocabulary) -> dict[str, tuple[str, ...]]:
    """The words of each field's name without the entity's noun before them: `sensor_unit` of a sensor is a unit."""
    noun = noun_words(entity, vocabulary)
    return {name: without_noun(words, noun) for name, words in plain_words(entity, vocabulary).items()}


@lru_cache(maxsize=8192)
def _plain(
    name: str, fields: tuple[str, ...], referring: frozenset[str], vocabulary: Vocabulary
) -> tuple[tuple[str, tuple[str, ...]], ...]:
    noun = tuple(singular(word) for word in noun_of(vocabulary.words(name)))
    told = without_language(fields)
    words = {field: _with_noun(told[field][0] if field in told else field, noun, vocabulary) for field in fields}
    mark = noun if _is_mark(noun, words, referring) else shared_beginning(words)
    letters = _shared_letters(fields, vocabulary) if not mark or len(mark) == 1 else ""
    if mark == (letters,):  # of which some names were cut off and others not
        mark = ()
    if mark and (mark == noun or mark[0] not in vocabulary.known or _is_short(mark, words)):
        return tuple((field, _without(of, mark)) for field, of in words.items())
    if mark:  # a word that means something is left for whoever reads the whole name
        return tuple(words.items())
    if told:
        return tuple(words.items())
    return tuple((field, _with_noun(_without_letters(field, letters, fields, vocabulary), noun, vocabulary)) for field in fields)


def _with_noun(field: str, noun: tuple[str, ...], vocabulary: Vocabulary) -> tuple[str, ...]:
    """A field's words, where it begins with the bones of its entity's noun, which may be short for something else elsewhere: in
    `permit` a `pmt_no` is the number of no payment."""
    first, _, rest = folded(field).partition("_")
    bones = rest and noun and len(first) > 2 and first in abbreviations() and _are_bones(first, noun[-1])
    return (noun[-1], *vocabulary.words(rest)) if bones else vocabulary.words(field)


def _are_bones(short: str, noun: str) -> bool:
    """Whether letters without a vowel stand in a noun in their order, from its first to its last."""
    letters = iter(noun)
    return (
        short[0] == noun[0] and short[-1] == noun[-1] and not set("aeiou") & set(short) and all(one in letters for one in short)
    )


def _begins(words: tuple[str, ...], mark: tuple[str, ...]) -> bool:
    return len(words) > len(mark) and tuple(map(singular, words[: len(mark)])) == mark


def _without(words: tuple[str, ...], mark: tuple[str, ...]) -> tuple[str, ...]:
    if not _begins(words, mark) or words == ("user", "name"):  # which is what somebody logs in as
        return words
    return words[len(mark) :]


def _is_short(mark: tuple[str, ...], words: dict[str, tuple[str, ...]]) -> bool:
    """Whether a mark is written with three letters or fewer, which means nothing by itself: `rec_`, `pay_`."""
    return all(len(folded(field).partition("_")[0]) < 4 for field, of in words.items() if _begins(of, mark))


def _is_mark(noun: tuple[str, ...], words: dict[str, tuple[str, ...]], referring: frozenset[str]) -> bool:
    """Whether most fields of a table begin with its noun: `hire_line_price`, `hire_line_days` of `hire_line`."""
    own = [of for field, of in words.items() if field not in referring]
    bearing = sum(_begins(of, noun) and of[len(noun) :] != ("id",) for of in own)
    return bool(noun) and bearing >= 3 and bearing >= _MOST * len(own)


_NO_BEGINNING = frozenset(
    "is has can are was date time number total maximum minimum first last start end old new net gross unit name type code id "
    "price amount rate cost vat tax user email phone address birth home work from to by total average mean".split()
)


def shared_beginning(words: dict[str, tuple[str, ...]]) -> tuple[str, ...]:
    """The word that most fields of an entity begin with, as the short name of their table: `a_from`, `a_to`, `a_subject`."""
    firsts = Counter(of[0] for of in words.values() if len(of) > 1)
    word, number = firsts.most_common(1)[0] if firsts else ("", 0)
    return (word,) if number >= 4 and number >= _MOST * len(words) and word not in _NO_BEGINNING else ()


def _shared_letters(fields: tuple[str, ...], vocabulary: Vocabulary) -> str:
    """The letters that most names of an entity begin with and that are no word, where what follows them mostly is one: `jst` of
    jstname, jstkind, jstenabled."""
    names = list(map(folded, fields))
    for length in (4, 3, 2):
        begun = Counter(name[:length] for name in names if len(name) > length + 1 and "_" not in name[: length + 1])
        letters, number = begun.most_common(1)[0] if begun else ("", 0)
        if number < 4 or number < _MOST * len(names) or letters in vocabulary.known:
            continue
        rests = [name[length:] for name in names if name.startswith(letters) and len(name) > length + 1]
        with_, without = (sum(map(vocabulary.knows, these)) for these in ((letters + rest for rest in rests), rests))
        if without >= _MOST * len(rests) > with_:
            return letters
    return ""


def _without_letters(name: str, mark: str, fields: tuple[str, ...], vocabulary: Vocabulary) -> str:
    """A name without the letters that those of its entity begin with; `lemail` beside `email` is one in lower case."""
    plain = folded(name)
    if mark and plain.startswith(mark) and len(plain) > len(mark) + 1:
        return plain[len(mark) :]
    twin = plain[1:] if len(plain) > 2 and not vocabulary.knows(plain) else ""
    return twin if twin and any(folded(other) == twin for other in fields) else name
