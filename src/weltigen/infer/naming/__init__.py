"""What the names of tables and columns say: split, spelled out, and put into English words."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Callable, Iterable, Iterator, Mapping
from functools import lru_cache
from importlib.resources import files

from ...values.vocabulary import long_tail, senses
from .cognates import cognates
from .forms import canonical, folded, is_plural, singular, with_article, without_prefix
from .of_tables import noun_of
from .shortened import by_skeleton, lengthened, skeleton

__all__ = [
    "DOING",
    "Vocabulary",
    "abbreviations",
    "canonical",
    "folded",
    "is_clipped",
    "is_plural",
    "languages",
    "noun_of",
    "plain_english",
    "singular",
    "with_article",
    "without_prefix",
    "words_of",
]

_WITH_DIGITS = re.compile(
    r"^(sha\d+|md5(?:sum)?|ipv[46]|oauth2?|utf8|base64|x509|s3|h264|mp[34]|iso\d+|isbn1[03]|ean\d+|co2|so2|no2|pm10|pm25)$"
)


def _entries(text: str) -> dict[str, tuple[str, ...]]:
    lines = "".join(line if line.endswith(";") else f"{line};" for line in text.splitlines() if line and line[0] not in "#[")
    pairs = (entry.split() for entry in lines.split(";") if entry.strip())
    return {short: tuple(words) for short, *words in pairs}


@lru_cache(maxsize=1)
def abbreviations() -> dict[str, tuple[str, ...]]:
    return _entries((files(__name__) / "abbreviations.txt").read_text("utf-8"))


@lru_cache(maxsize=1)
def languages() -> dict[str, dict[str, tuple[str, ...]]]:
    """Words of each language, and the English ones that they stand for."""
    return {name: words for name, words in _sections().items() if " " not in name}


@lru_cache(maxsize=1)
def _sections() -> dict[str, dict[str, tuple[str, ...]]]:
    text = (files(__name__) / "languages.txt").read_text("utf-8")
    parts = re.split(r"^\[([\w ]+)\]$", text, flags=re.MULTILINE)[1:]
    return {name: _entries(words) for name, words in zip(parts[::2], parts[1::2], strict=True)}


@lru_cache(maxsize=8)
def words_of(language: str) -> dict[str, tuple[str, ...]]:
    """All words of a language, also those that mean something else in others, and pairs of words."""
    return languages()[language] | _sections().get(f"{language} alone", {})


def _of_men(part: str, words: Mapping[str, tuple[str, ...]]) -> tuple[str, ...] | None:
    """`cancelada` and `canceladas` are `cancelado`, where no word is nearer."""
    stem = re.match(r"(.{3,})(a|as|os)$", part)
    return None if stem is None else words.get(f"{stem[1]}o")


class Vocabulary:
    """English words that mean something to whoever asks, by which names written together are cut; and the language of a world,
    which its names may not be in: `reads` is theirs."""

    def __init__(
        self,
        known: frozenset[str],
        language: str = "en",
        spelled: Mapping[str, str] | None = None,
        *,
        reads: str | None = None,
        clipped: bool = False,
        often: Callable[[], Mapping[str, int]] = dict,
    ) -> None:
        self.known, self.language, self._reads = known, language, reads or language
        language = self._reads
        self._often = often  # how many names have a word: what has lost its vowels is short for the commonest
        self._clipped = clipped  # most names have lost their vowels, so that three letters are short for a common word
        self._written = spelled or {}  # names as they are written, where they are known by what a database makes of them
        self._short = abbreviations()
        order = [language, *(name for name in languages() if name != language)] if language != "en" else list(languages())
        self._own = words_of(language) if language in languages() else {}
        self._foreign = [languages()[name] for name in order if name in languages()]
        self._skeletons: dict[str, tuple[str, ...]] | None = None if language == "en" else {}
        self._words: dict[str, tuple[str, ...]] = {}
        self._names: dict[str, tuple[str, ...]] = {}

    def words(self, name: str) -> tuple[str, ...]:
        """The English words of a name: `ZaehlerNr` is meter number, `usr_fnm` user first name."""
        if name not in self._names:
            self._names[name] = self._split(self._written.get(name, name))
        return self._names[name]

    def knows(self, name: str) -> bool:
        """Whether every word of a name is one that means something."""
        return all(word in self.known or word.isdigit() for word in self.words(name))

    def _split(self, name: str) -> tuple[str, ...]:
        out: list[str] = []
        parts = folded(name).split("_")
        if len(parts) > 1 and min(map(len, parts)) == 1 and len(name) < 7 and "".join(parts) in self._short:
            parts = ["".join(parts)]  # DoB
        rest = parts[1].removeprefix(parts[0]) if len(parts) > 1 and len(parts[0]) > 3 else ""
        if len(rest) > 4 and rest != parts[1] and self._is_plain(rest):
            parts = [rest, *parts[2:]]  # canvas_canvaslearner, as frameworks call tables of a part
        if len(parts) > 1 and parts[-1] in ("txt", "cd") and (parts[-1] == "txt" or parts[-2] in _TOLD_BY_CODES):
            parts = parts[:-1]  # what it is kept as
        if len(parts) > 1 and parts[-1] == "str" and self._reads != "de" and parts[-2] not in ("main", "high", "home"):
            parts = [*parts[:-1], "text"]  # which is no street behind a noun
        own = parts[0] in (self._own or self.known)
        if not own:
            parts = without_prefix(parts)
        at = 0
        while at < len(parts):
            both = "_".join(parts[at : at + 2]) if at + 1 < len(parts) else ""
            pair = self._own.get(both) or self._short.get(both) or (self._of_several(both) if both else None)
            out += pair or self._one(parts[at])
            at += 2 if pair else 1
        if len(out) > 1 and out[-1] == "from" and out[-2].endswith("ed") and out[-2] != "opened" and self._reads == "de":
            out[-1] = "by"  # angelegt_von
        if len(out) > 1 and out[-1] in ("en", "el") and self._reads == "es":
            out[-1] = "at"  # cancelada_en, pagada_el
        if len(out) > 1 and out[-2] == "longitude" and out[-1] in ("m", "cm", "mm", "km", "metres", "kilometres"):
            out[-2] = "length"  # longitud_m
        if len(out) > 1 and parts[0] == "curr" and out[-1] not in _OF_CURRENCIES:
            out[0] = "current"
        if len(out) > 2 and out[-1] in ("vat", "tax", "gst") and (side := _SIDES.get(out[-2])) is not None:
            out[-2:] = [side]  # total_ex_vat
        if len(out) > 1 and out[-1] == "at" and out[-2] in DOING:
            out[-2] = DOING[out[-2]]  # create_at
        return tuple(map(canonical, out))

    def _is_plain(self, part: str) -> bool:
        """Whether a part is made of English words and nothing else."""
        return all(len(word) > 2 and (word in self.known or word in plain_english()) for word in self._one(part))

    def _one(self, part: str) -> tuple[str, ...]:
        if part not in self._words:
            self._words[part] = self._spelled(part)
        return self._words[part]

    def _spelled(self, part: str) -> tuple[str, ...]:
        if not part or part.isdigit() or _WITH_DIGITS.match(part):
            return (part,) if part else ()
        if part[-1].isdigit() and not part[0].isdigit():
            head = part.rstrip("0123456789")
            return (*self._one(head), part[len(head) :])
        if part in self._own:
            return self._own[part]
        if self._own and (plural := self._plural(part)) is not None:
            return plural
        if part in self.known:
            return (part,)
        if self._reads in ("es", "it", "pt") and (of_men := _of_men(part, self._own)) is not None:
            return of_men
        if part in abbreviations():
            return abbreviations()[part]
        if (one := singular(part)) in self.known:
            return (one,)
        if len(one) > 3 and one in abbreviations():
            return abbreviations()[one]
        for words in (self._own, *self._foreign):
            for short in _without_endings(part, german=self._reads == "de" and words is self._own):
                if short in words:
                    return words[short]
        if (able := re.fullmatch(r"([a-z]{4,})able", part)) is not None and not self.known.isdisjoint((able[1], f"{able[1]}e")):
            return (part,)  # `commentable`, which is no table
        if (sum_of := re.fullmatch(r"(md5|sha1|sha256|sha512)([a-z]{3,})", part)) is not None:
            return (sum_of[1], *self._spelled(sum_of[2]))
        if (mixed := re.fullmatch(r"([a-z]+)\d+([a-z]{2,})", part)) is not None:  # ip4addr
            parts = [self._spelled(one) for one in mixed.groups()]
            if all(words != (one,) or one in self.known for words, one in zip(parts, mixed.groups(), strict=True)):
                return (*parts[0], *parts[1])
        if self._own and (same := next((one for one in cognates(part, self._reads) if one in self.known), None)):
            return (same,)
        if part[1:] in _HEADS:  # ttype, bdate
            return (part[1:],)
        if (of_system := self._after_short(part)) is not None:
            return of_system
        if self._clipped and (common := _by_bones().get(part)) is not None:
            return (common,)
        if part not in long_tail() and part not in _PLAIN_WORDS and (whole := self._with_vowels(part)) is not None:
            return (whole,)
        cut = self._cut(part)
        if cut is None and part.startswith("is") and len(part) > 4 and (asked := self._piece(part[2:], False)) is not None:
            return ("is", *asked)  # `isregex`, which is no island
        return cut or self._german_end(part) or self._behind_head(part) or (one,)

    def _of_several(self, both: str) -> tuple[str, ...] | None:
        """What a pair of words means whose first one is a plural: `modes_paiement`, `formas_pago`."""
        first, _, second = both.partition("_")
        if self._reads not in ("fr", "es", "it", "pt") or first[-1:] not in ("s", "x"):
            return None
        return self._own.get(f"{first[:-1]}_{second}") or self._own.get(f"{first[:-1]}_{second.rstrip('s')}")

    def _plural(self, part: str) -> tuple[str, ...] | None:
        """What a word of the language means of which this is the plural, whatever it is in English: `clients`, in French."""
        if self._reads not in ("fr", "es", "it", "pt") or part[-1] not in "sx":
            return None
        stems = (part[:-1], part[:-2] if part.endswith("es") else "", f"{part[:-3]}al" if part.endswith("aux") else "")
        return next((self._own[one] for one in stems if len(one) > 2 and one in self._own), None)

    def _behind_head(self, part: str) -> tuple[str, ...] | None:
        """A plain word with some letters behind it, which say which one it is: `emailpro`; an identifier of what is cut short."""
        if self._reads != "en" or _is_one_word(part):
            return None
        if (short := re.fullmatch(r"([b-df-hj-np-tv-xz]{2,4})id", part)) is not None:
            return (short[1], "id")
        head = next((one for one in _LEADING if part.startswith(one) and 1 < len(part) - len(one) < 5), None)
        return None if head is None else (head, part[len(head) :])

    def _after_short(self, part: str) -> tuple[str, ...] | None:
        """A word behind what is short for a part of a system: `dbhost`, `ostype`, `ipaddress`."""
        for short in _BEGINNINGS if len(part) > 4 and not _is_one_word(part) else ():
            rest = part[len(short) :]
            told = len(rest) > 3 or rest in _HEADS_BEHIND
            if part.startswith(short) and told and (rest in self.known or rest in self._short):
                return (short, *self._spelled(rest))
        return None

    def _with_vowels(self, part: str) -> str | None:
        """The word that a part is short for; the bones of all words are looked at when the first one asks."""
        if self._skeletons is None:
            self._skeletons = by_skeleton(self.known, self._often())
        return lengthened(part, self._skeletons)

    def _german_end(self, part: str) -> tuple[str, ...] | None:
        """A German word by its end, which says what it is of: `objekttext`, `fuehrungsperson`, `klimazone`."""
        if self._reads != "de" or len(part) < 8:
            return None
        for start in range(3, len(part) - 3):
            if (known := self._own.get(part[start:])) is not None or part[start:] in self.known:
                return (part[:start].rstrip("s") or part[:start], *(known or (part[start:],)))
        return None

    def _cut(self, part: str) -> tuple[str, ...] | None:
        """A word written together, cut into as few known ones as cover it: `hostname`, `acctstarttime`, `lieferdatum`. Up to four
        letters at its beginning may be left over."""
        if len(part) < (5 if part.endswith("id") else 6) or _is_one_word(part):
            return None
        # the best cut of each beginning: letters that are left over, pieces, those that are no English words, and the words
        best: list[tuple[int, int, int, tuple[str, ...]] | None] = [(0, 0, 0, ())] + [None] * len(part)
        for start in range(5 if self._reads == "en" else 0):  # words that nobody here knows end in no English ones
            if best[start] is None and (len(part) - start > 5 or (start and part[start:] in _PLAIN_HEADS)):
                best[start] = (start, 1, 0, (part[:start],))
        for end in range(2, len(part) + 1):
            for start in range(end - 1):
                before = best[start]
                if before is None or (words := self._piece(part[start:end], end < len(part))) is None:
                    continue
                strange = before[2] + (part[start:end] not in plain_english())
                cut = (before[0], before[1] + 1, strange, (*before[3], *words))
                if best[end] is None or cut[:3] < best[end][:3]:  # type: ignore[index]
                    best[end] = cut
        found = best[-1]
        return found[3] if found is not None and found[1] > 1 else None

    def _piece(self, piece: str, more: bool) -> tuple[str, ...] | None:
        """What a piece of a word means, if it is known; `more` follows, so that it may end in a letter that joins."""
        if len(piece) < 3:
            if piece == "nr" and not more:
                return ("number",)
            if piece == "up" and not more:
                return (piece,)
            return (piece,) if piece in _SHORT or (piece == "of" and more) or (piece in _MEASURED_IN and not more) else None
        if piece == "non" and more:
            return (piece,)
        own = self._own
        if piece in own:
            return own[piece]
        if canonical(piece) in self.known:
            return (canonical(piece),)
        if piece in self._short and len(piece) > 3:
            return self._short[piece]
        if more and own and piece[-1] in "sne" and piece.rstrip("sne") in own:
            return own[piece.rstrip("sne")]
        if (one := singular(piece)) in self.known:
            return (one,)
        if len(piece) > 6 and self._reads == "en" and piece in plain_english():
            return (piece,)
        if piece in self._short or (len(one) > 2 and one in self._short):
            return self._short.get(piece) or self._short[one]
        return languages()["de"].get(piece) if len(piece) > 4 else None


_COMMON = 2  # words of other languages that stand for a common one


@lru_cache(maxsize=1)
def _by_bones() -> dict[str, str]:
    """The commonest word of names for each three letters that may be all that is left of it: `rgn` is a region."""
    counts = Counter(word for told in _sections().values() for words in told.values() for word in words)
    common = [word for word, number in counts.items() if number >= _COMMON and len(word) > 3 and word.isalpha()]
    common.sort(key=lambda word: (counts[word], word))
    return {bones: word for word in common if len(bones := skeleton(word)) == 3}


@lru_cache(maxsize=8)
def is_clipped(names: tuple[str, ...]) -> bool:
    """Whether many parts of names have lost their vowels."""
    parts = {part for name in names for part in folded(name).split("_") if len(part) > 2 and part.isalpha()}
    bare = sum(re.search("[aeiouy]", part[1:]) is None for part in parts)
    return bare >= _MANY_BARE and bare > _BARE_SHARE * len(parts)


_MANY_BARE, _BARE_SHARE = 8, 0.3


@lru_cache(maxsize=1)
def _one_words() -> frozenset[str]:
    return frozenset(senses()["one word"]) | frozenset(long_tail())


@lru_cache(maxsize=1)
def plain_english() -> frozenset[str]:
    """English words that stand in dictionaries, or for words of other languages and short forms."""
    meant = (words for told in (abbreviations(), *languages().values()) for words in told.values())
    return _one_words() | {word for words in meant for word in words}


def _is_one_word(part: str) -> bool:
    """Whether it is an English word that is not put together: `impurity`, `nominated`."""
    words = _one_words()
    stems = [part[: -len(end)] for end in ("s", "d", "ed", "ing") if part.endswith(end)]
    stems += [stem[:-1] for stem in stems if len(stem) > 3 and stem[-1] == stem[-2]]  # scrubbed
    stems += [f"{part[: -len(end)]}e" for end in ("ed", "ing") if part.endswith(end)]  # invoicing
    return part in words or any(stem in words for stem in stems)


DOING = {  # what is done at a moment, and as most names tell it
    "create": "created", "update": "updated", "delete": "deleted", "edit": "edited", "modify": "modified",
    "publish": "published", "send": "sent", "close": "closed", "open": "opened", "archive": "archived", "finish": "finished",
    "complete": "completed", "cancel": "cancelled", "approve": "approved", "view": "viewed", "submit": "submitted",
    "expire": "expires", "remove": "removed", "begin": "begins", "activate": "activated", "receive": "received",
    "resolve": "resolved", "start": "started", "end": "ended",
}  # fmt: skip
_OF_CURRENCIES = frozenset("code id symbol name rate pair sign digits decimals iso number type key".split())
_SIDES = dict.fromkeys("ex excl excluded excluding without before".split(), "net") | dict.fromkeys(
    "inc incl increment included including with after".split(), "gross"
)
_TOLD_BY_CODES = frozenset("stat sts status typ type stts".split())
_HEADS = frozenset("type date text status code year month week quarter".split())
# what is told from a few letters before it, or behind it
_PLAIN_HEADS = frozenset("note notes name names code date type text count size flag year month week".split())
_LEADING = ("email", "phone", "mobile", "address", "notes", "title", "price", "amount", "street", "comment")
_HEADS_BEHIND = frozenset("url uri key log tag pin pid uid gid row job bit".split())
_BEGINNINGS = tuple("db os ip hw sw vm ui pc ldap smtp snmp http ssl tls dns sip ftp ssh url xml json sql css html".split())
_ENDINGS = ("en", "er", "es", "em", "os", "as", "ns", "ux", "e", "n", "s", "r", "x", "a", "o")


def _without_endings(part: str, *, german: bool) -> Iterator[str]:
    """A word, and what it may be without the ending of a plural or a case; in German also without the umlaut of one: `baeume`."""
    yield part
    if len(part) > (4 if german else 5):
        stems = [part[: -len(end)] for end in _ENDINGS if part.endswith(end)]
        yield from stems
        if german:
            yield from (stem.replace(f"{vowel}e", vowel) for stem in (*stems, part) for vowel in "aou" if f"{vowel}e" in stem)
            yield from (stem.replace("aeu", "au") for stem in stems if "aeu" in stem)


_SHORT = frozenset("ip id at on to no by".split())
_PLAIN_WORDS = frozenset("thing things stuff".split())  # short for nothing, though a longer word has their bones
_MEASURED_IN = frozenset("kg cm mm km mv db ms kw".split())
