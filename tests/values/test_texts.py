"""Texts of every topic, purpose and language: whole, spaced and spelled as somebody would write them, and of their topic."""

from __future__ import annotations

import random
import re
from pathlib import Path
from tempfile import TemporaryDirectory

import pytest

import weltigen
from weltigen.values.texts import PURPOSES
from weltigen.values.vocabulary import topic, topics

LANGUAGES = {"en": "en-GB", "de": "de-DE", "fr": "fr-FR", "es": "es-ES"}
PROSE = ["answer", "bio", "description", "instruction", "message", "remark", "report", "review", "question", "reason", "issue"]
# what no prose holds, in no language
BROKEN = re.compile(r"\{|\}|  | [,.;:!?](?!\.)|\.\.(?!\.)|,,|\bNone\b|\(\)|^\s|\s$|^[a-zà-ÿ]|\b(\w{3,}) \1\b")
# an article before a word that it does not go with; hours and units are said otherwise than written
ARTICLES = {
    "en": re.compile(r"\b[Aa] (?!one|uni|use|eu|UV|US|URL|UPS|UX|unit|uniform|usu)[aeiouAEIOU]|\b[Aa]n (?!hour|honest|heir|[A-Z]{2}|[MFHLNRSX]\b)[bcdfgjklmnpqrstvwxyzBCDFGJKLMNPQRSTVWXYZ]"),
    "de": re.compile(r"\b(ein|eine|einen|einem|einer|der|die|das) (ein|eine|der|die|das|den|dem)\b"),
    "fr": re.compile(r"\b(le|la) [aeiouéèêà](?!uro)|\b(de le|de les|à le|à les)\b|\b(un|une|le|la) (un|une|le|la)\b"),
    "es": re.compile(r"\b(de el|a el) |\b(un|una|el|la) (un|una|el|la)\b"),
}  # fmt: skip


def world_of(text: str) -> weltigen.World:
    with TemporaryDirectory() as folder:
        (Path(folder) / "world.yaml").write_text(text, "utf-8")
        return weltigen.open_world(Path(folder) / "world.yaml")


def texts_of(purposes: list[str], language: str, of: str, rows: int = 24) -> dict[str, list[str]]:
    fields = "".join(f"      f_{p}: {{type: text, null: false, kind: {{text: {{purpose: {p}}}}}}}\n" for p in purposes)
    text = f"weltigen: 3\nlanguage: {LANGUAGES[language]}\nentities:\n  note:\n    rows: {rows}\n    topic: {of}\n    fields:\n{fields}"
    frame = world_of(text).dataset().frame("note")
    return {purpose: frame[f"f_{purpose}"].tolist() for purpose in purposes}


@pytest.mark.parametrize("part", range(12))
def test_prose_is_spelled_as_somebody_would_write_it(part: int) -> None:
    """Every twelfth topic in each part, in a language by turns."""
    wrong: list[str] = []
    number = 0
    for at, name in enumerate(sorted(topics())[part::12]):
        language = "en" if at % 2 else list(LANGUAGES)[(at // 2 + part) % 4]
        for purpose, texts in texts_of(PROSE, language, name).items():
            number += len(texts)
            wrong += [
                f"{name} {language} {purpose}: {text}"
                for text in texts
                if BROKEN.search(re.sub(" ([:?!;])", r"\1", text) if language == "fr" else text)
                or ARTICLES[language].search(text)
            ]
            wrong += [f"{name} {language} {purpose}: {text}" for text in texts if says_again(text)]
    assert number > 2000 and len(wrong) <= 0.003 * number, wrong[:12]


def says_again(text: str) -> bool:
    """Whether two of its sentences begin alike, as one template twice would."""
    begun = [sentence.strip()[:18] for sentence in re.split(r"(?<=[.!?]) ", text)]
    return len(begun) != len(set(begun))


@pytest.mark.parametrize("language", LANGUAGES)
def test_texts_differ_and_have_the_length_of_their_purpose(language: str) -> None:
    lengths = {
        "description": (40, 700),
        "remark": (10, 300),
        "title": (3, 120),
        "reason": (3, 160),
        "message": (40, 700),
        "log-line": (8, 200),
    }
    for name in random.Random(language).sample(sorted(topics()), 6):
        for purpose, texts in texts_of(list(lengths), language, name, 100).items():
            least, most = lengths[purpose]
            assert all(least <= len(text) <= most for text in texts), (name, purpose, min(texts, key=len), max(texts, key=len))
            assert purpose in ("title", "reason", "log-line") or len(set(texts)) >= 85, (name, purpose, len(set(texts)))


@pytest.mark.parametrize("room", [8, 12, 20, 40, 80, 160, 500])
def test_every_purpose_fits_its_column_or_says_why_not(room: int) -> None:
    """A text that is cut ends with a whole word."""
    for purpose in PURPOSES:
        text = f"weltigen: 3\nentities: {{note: {{rows: 40, topic: tools, fields: {{t: {{type: varchar({room}), null: false, kind: {{text: {{purpose: {purpose}}}}}}}}}}}}}\n"
        try:
            texts = world_of(text).dataset().frame("note")["t"]
        except weltigen.WeltigenError as error:
            assert "characters" in str(error) or "room" in str(error), (purpose, str(error))
            continue
        assert texts.str.len().between(1, room).all() and texts.nunique() >= 1, purpose


@pytest.mark.parametrize("language", ["de", "fr", "es"])
def test_topics_that_are_told_in_a_language_speak_it(language: str) -> None:
    """Commonest words of English are in no text of a topic that has words of its own there."""
    english = re.compile(r"\b(the|and|with|was|were|has been|please|checked|yesterday|about)\b", re.I)
    told = [name for name in sorted(topics()) if topic(name).spoken(language).words("things") != topic(name).words("things")]
    assert len(told) >= 40
    for name in random.Random(7).sample(told, 10):
        for purpose, texts in texts_of(["remark", "description", "message"], language, name).items():
            mixed = [text for text in texts if len(english.findall(text)) > 1]
            assert len(mixed) <= 1, (name, purpose, mixed[:3])
