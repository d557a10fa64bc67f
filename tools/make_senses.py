"""What nouns are that no list of ours names, and of what sorts there are, from WordNet 3.0 (its licence: data/WORDNET.txt).

    apt-get download wordnet-base && dpkg -x wordnet-base*.deb /tmp/wordnet
    python tools/make_senses.py /tmp/wordnet/usr/share/wordnet

A noun's first sense counts. A sort is a word whose own first sense lies below the noun's, at most two steps, and that the
database's explanations use now and then, so that most readers know it. Adjectives are those that are no nouns.
"""

from __future__ import annotations

import gzip
import re
import sys
from collections import Counter, defaultdict
from pathlib import Path

OUT = Path(__file__).parent.parent / "src" / "weltigen" / "values" / "data" / "senses.txt.gz"
_OFFENSIVE = re.compile(
    r"offensive|derogat|slang|vulgar|obscene|disparag|slur|contempt|sexual|prostitut|genital|excre|urine|feces|execution|torture|"
    r"punish|racial|religio|weapon|poison|narcotic|addict|suicid|genocid|murder|kill|drug abuse|extinct|fossil|fictional|archaic",
    re.I,
)
# the numbers of the database's files (lexnames), and what we make of their nouns
_FILES = {
    7: "attribute",
    12: "attribute",
    21: "possession",
    4: "act",
    9: "act",
    22: "act",
    11: "state",
    19: "state",
    26: "state",
    6: "artifact",
}
_WITH_SORTS = {5, 6, 10, 13, 17, 19, 20, 27}
_NOT = ("illness.1", "color.1", "sound_property.1", "body_weight.1", "time_period.1", "property.4", "person.1", "body_part.1")
_LEAST, _MOST, _KNOWN, _HEARD = 5, 12, 8, 2


def main(folder: Path) -> None:
    below: dict[str, list[str]] = defaultdict(list)
    words: dict[str, list[str]] = {}
    gloss: dict[str, str] = {}
    kind: dict[str, int] = {}
    instances: set[str] = set()
    used: Counter[str] = Counter()
    for part in ("noun", "verb", "adj", "adv"):
        for line in (folder / f"data.{part}").read_text("utf-8").splitlines():
            if line.startswith(" "):
                continue
            facts, _, told = line.partition(" | ")
            used.update(set(re.findall("[a-z]+", told.lower())))
            if part != "noun":
                continue
            parts = facts.split()
            count = int(parts[3], 16)
            at = 4 + 2 * count
            words[parts[0]], gloss[parts[0]], kind[parts[0]] = parts[4 : 4 + 2 * count : 2], told, int(parts[1])
            for n in range(int(parts[at])):
                sign, target = parts[at + 1 + 4 * n : at + 3 + 4 * n]
                if sign == "@":
                    below[target].append(parts[0])
                elif sign == "@i":
                    instances.add(parts[0])
    senses = _senses(folder / "index.noun")
    unfit = {d for name in _NOT for d in _all_below(below, senses[name.partition(".")[0]][int(name[-1]) - 1], 20)}
    out: dict[str, list[str]] = defaultdict(list)
    for noun, offsets in sorted(senses.items()):
        first = offsets[0]
        if not re.fullmatch("[a-z]{4,20}", noun) or first in instances or first in unfit or _OFFENSIVE.search(gloss[first]):
            continue
        if used[noun] < _HEARD:
            continue
        if (what := _FILES.get(kind[first])) is not None:
            out[what].append(noun)
        if kind[first] in _WITH_SORTS:
            sorts = [
                _spelled(word)
                for at in _all_below(below, first, 2)
                if at not in instances and not _OFFENSIVE.search(gloss[at])
                if (word := _best(words[at], used)) is not None and senses[word.lower()][0] == at and noun != word.lower()
            ]
            own = [sort for sort in sorts if sort.endswith(f" {noun}")]
            chosen = [*own, *(sort for sort in sorts if sort not in own)][:_MOST]
            if len(chosen) >= _LEAST:
                out[f"sorts of {noun}"] = chosen
    nouns = set(senses)
    plain = (word for word in _senses(folder / "index.adj") if re.fullmatch("[a-z]{4,18}", word) and word not in nouns)
    out["adjective"] = [word for word in plain if used[word] >= 2 * _HEARD]
    out["one word"] = sorted(_of_one_piece(folder, used))
    joined = {name: ("; " if name.startswith("sorts") else " ").join(found) for name, found in sorted(out.items())}
    text = "".join(f"{name}: {found}\n" for name, found in joined.items())
    OUT.write_bytes(gzip.compress(text.encode(), 9, mtime=0))
    print(len(out), {name: len(found) for name, found in out.items() if not name.startswith("sorts")}, OUT.stat().st_size)


_ENDS = frozenset(
    "age ship able less ness hood ant ate ring king ling ration nation station ability action over art ice port sing ran den ton mate "
    "dance tie try ion form per ties ally ago ear tent son here ring don led red ten her ate pant gent rage sage dent lent".split()
)


def _of_one_piece(folder: Path, used: Counter[str]) -> set[str]:
    """Words that are not put together from two that readers know: no name is cut where one of these stands."""
    words = {
        word
        for part in ("noun", "verb", "adj", "adv")
        for word in _senses(folder / f"index.{part}")
        if re.fullmatch("[a-z]{5,16}", word) and used[word] >= _HEARD
    }
    nouns = set(_senses(folder / "index.noun"))

    def joined(word: str) -> bool:
        halves = ((word[:at], word[at:]) for at in range(3, len(word) - 2))
        return any(a in nouns and b in nouns and used[a] > 8 and used[b] > 8 and b not in _ENDS for a, b in halves)

    tail = {
        noun
        for line in gzip.decompress((OUT.parent / "nouns.txt.gz").read_bytes()).decode().splitlines()
        for noun in line.split()[1:]
    }
    return {word for word in words - tail if not joined(word)}


def _senses(index: Path) -> dict[str, list[str]]:
    lines = (line.split() for line in index.read_text("utf-8").splitlines() if not line.startswith(" "))
    return {parts[0]: parts[-int(parts[2]) :] for parts in lines}


def _all_below(below: dict[str, list[str]], first: str, steps: int) -> list[str]:
    """What lies below a synset, the nearest first."""
    layer, seen = [first], {first}
    found: list[str] = []
    for _ in range(steps):
        layer = [down for at in layer for down in below.get(at, ()) if down not in seen and not seen.add(down)]  # type: ignore[func-returns-value]
        found += layer
    return found


def _best(words: list[str], used: Counter[str]) -> str | None:
    """The first word of a synset that readers know, in lower case and of at most two parts."""
    for word in words:
        plain = re.sub(r"\(\w+\)$", "", word)
        if re.fullmatch("[a-z]+(_[a-z]+)?", plain) and all(used[one] >= _KNOWN for one in plain.split("_")):
            return plain
    return None


def _spelled(word: str) -> str:
    return word.replace("_", " ")


if __name__ == "__main__":
    main(Path(sys.argv[1]))
