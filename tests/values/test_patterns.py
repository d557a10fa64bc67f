"""Patterns: positions and the texts that match stand one to one."""

from __future__ import annotations

import random
import re
import sys
from concurrent.futures import ThreadPoolExecutor
from itertools import product

import numpy as np
import pytest

from weltigen.randomness import WIDEST, Bits
from weltigen.values.patterns import Pattern

SMALL = ["[ab]{2}c?", "(ab|a)(c|bc)", "x*", "a|b|", "[A-C][0-9]|Z", "(a|b)*c", r"\d[^\d]", "a{2,3}", "(ab?)+", "^ab?$", "a.c"]


def enumerate_by_force(expression: str, alphabet: str, longest: int) -> set[str]:
    texts = ("".join(letters) for length in range(longest + 1) for letters in product(alphabet, repeat=length))
    return {text for text in texts if re.fullmatch(expression, text)}


@pytest.mark.parametrize("expression", SMALL)
def test_a_pattern_gives_every_text_that_matches_exactly_once(expression: str) -> None:
    longest = 4
    pattern = Pattern(expression, longest)
    made = pattern.decode(np.arange(pattern.space, dtype=np.uint64)).to_pylist()
    assert len(set(made)) == len(made) == pattern.space
    assert all(re.fullmatch(expression, text) and len(text) <= longest for text in made)
    alphabet = sorted(set("".join(made)))
    if len(alphabet) <= 6:
        assert set(made) == enumerate_by_force(expression, "".join(alphabet), longest)


@pytest.mark.parametrize(
    ("expression", "space"),
    [
        ("[A-HJ-NP-Z]{3}[0-9]-[0-9]{4}", 24**3 * 10**5),
        ("[GM][A-Z]{3}[0-9]", 2 * 26**3 * 10),
        ("[0-9a-f]{64}", 1 << 40),
        (r"(\w{9}-){3}", 1 << 40),
    ],
)
def test_large_patterns_match_and_never_repeat(expression: str, space: int) -> None:
    pattern = Pattern(expression, None)
    assert pattern.space == space <= WIDEST
    positions = Bits(1, "x", "y").distinct(pattern.space, np.arange(20_000))
    made = pattern.decode(positions).to_pylist()
    assert len(set(made)) == 20_000
    assert all(re.fullmatch(expression, text) for text in made[:500])
    assert [pattern.decode(positions[i : i + 1])[0].as_py() for i in range(20)] == made[:20]
    for place in (0, len(made[0]) // 2, -2):  # each place takes nearly all of its letters
        letters = {text[place] for text in made}
        assert len(letters) == 1 or len(letters) >= 2


@pytest.mark.parametrize(
    ("expression", "longest", "said"),
    [("[a", None, "is not a regular expression"), ("a(?=b)", None, "no text can be made"), (r"(a)\1", None, "no text can be made"),
     ("a{9}", 5, "no text of 0 to 5 characters matches"), ("(a{200}){200}", None, "too large")],
)  # fmt: skip
def test_an_expression_that_no_text_can_be_made_for_is_told(expression: str, longest: int | None, said: str) -> None:
    with pytest.raises(ValueError) as error:
        Pattern(expression, longest)
    assert said in str(error.value)


def test_lengths_keep_to_the_room_on_both_sides() -> None:
    pattern = Pattern("[a-z]*", 6, 3)
    made = pattern.decode(Bits(1, "x", "y").distinct(pattern.space, np.arange(3000))).to_pylist()
    assert {len(text) for text in made} <= {3, 4, 5, 6}


def expression_of(dice: random.Random, depth: int = 3) -> str:
    """An expression over a, b and 0 of every form that is told: classes, groups, choices, repeats."""
    if not depth or dice.random() < 0.25:
        return dice.choice(["a", "b", "0", "[ab]", "[^a]", "[b0]", "ab", "."])
    inner = [expression_of(dice, depth - 1) for _ in range(dice.randint(1, 3))]
    match dice.randrange(4):
        case 0:
            return f"({'|'.join(inner)})"
        case 1:
            return f"({inner[0]}){dice.choice(['?', '*', '+', '{2}', '{1,3}', '{0,2}', '{2,}'])}"
        case 2:
            return f"({inner[0]}|){inner[-1]}"
        case _:
            return "".join(f"({one})" for one in inner)


@pytest.mark.parametrize("seed", range(60))
def test_any_pattern_gives_each_text_that_matches_once_whether_asked_alone_or_together(seed: int) -> None:
    """Against all texts of up to four letters, tried one by one; and in larger rooms, where few can be tried."""
    expression = expression_of(random.Random(seed))
    plain = expression.replace("[^a]", "[b0]").replace(".", "[ab0]")  # so that few letters make all of its texts
    wanted = enumerate_by_force(plain, "ab0", 4)
    if not wanted:
        with pytest.raises(ValueError, match="no text"):
            Pattern(plain, 4)
    else:
        small = Pattern(plain, 4)
        texts = small.decode(np.arange(small.space, dtype=np.uint64)).to_pylist()
        assert set(texts) == wanted and len(texts) == small.space == len(wanted), expression
    for room in (None, 9, 60):
        try:
            pattern = Pattern(expression, room)
        except ValueError:
            continue
        asked = min(pattern.space, 700)
        positions = Bits(seed, "x", str(room)).distinct(pattern.space, np.arange(asked))
        made = pattern.decode(positions).to_pylist()
        assert len(set(made)) == asked and all(re.fullmatch(expression, text) for text in made), expression
        assert max(map(len, made)) <= (room or 10_000)
        parts = [pattern.decode(positions[at : at + size]).to_pylist() for at, size in ((0, 1), (asked // 2, 7), (asked - 1, 1))]
        assert parts == [made[:1], made[asked // 2 : asked // 2 + 7], made[asked - 1 :]], expression


def test_texts_of_a_pattern_that_ends_in_many_ways_are_spread_over_all_of_them() -> None:
    """Above what can be counted too: no branch that leads to many texts is left out."""
    for expression in ("(w[a-z]{3}|x[a-z]{3}|y[0-9]{4}z?)", "(w[a-z]{40}|x[a-z]{41}|y[0-9]{45}z?)"):
        pattern = Pattern(expression, None)
        made = pattern.decode(Bits(1, "x", "y").distinct(pattern.space, np.arange(6000))).to_pylist()
        first = {letter: sum(text[0] == letter for text in made) for letter in "wxy"}
        assert all(count > 500 for count in first.values()) and len(set(made)) == 6000, first


def test_threads_that_ask_one_pattern_at_once_get_what_each_would_get_alone() -> None:
    """What may come next is worked out as texts are asked for, which several workers do at a time."""
    expression = "(a[b-d]{1,3}|e(f|gh|i{2,5}){1,4}|[0-9]{2,6}(-|x)?[a-c]{2,9})"
    asked = [Bits(7, "x", str(one)).distinct(10_000, np.arange(300)) for one in range(8)]
    alone = [Pattern(expression, None).decode(positions).to_pylist() for positions in asked]
    interval = sys.getswitchinterval()
    sys.setswitchinterval(1e-6)
    try:
        for _ in range(12):
            pattern = Pattern(expression, None)
            with ThreadPoolExecutor(8) as pool:
                assert [made.to_pylist() for made in pool.map(pattern.decode, asked)] == alone
    finally:
        sys.setswitchinterval(interval)
