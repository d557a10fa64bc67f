"""Public holidays of a country: the days on which nobody there is at work."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import date, timedelta
from functools import lru_cache
from importlib.resources import files


@lru_cache(maxsize=1)
def _rules() -> dict[str, tuple[str, ...]]:
    lines = (files("weltigen.values") / "data" / "holidays.txt").read_text("utf-8").splitlines()
    told = (line.split(" ") for line in lines if line and not line.startswith("#"))
    return {country: tuple(rules) for country, *rules in told}


def countries_with_holidays() -> tuple[str, ...]:
    """The countries of which holidays are known, by their codes (ISO 3166-1)."""
    return tuple(_rules())


@lru_cache(maxsize=256)
def holidays(country: str, year: int) -> frozenset[date]:
    """The public holidays of a country in a year; KeyError where none are known of it."""
    return frozenset(_day(rule, year) for rule in _rules()[country])


def _day(rule: str, year: int) -> date:
    if rule.startswith("E"):
        return easter(year) + timedelta(days=int(rule[1:]))
    if "/" in rule:
        month, nth, weekday = map(int, rule.split("/"))
        return _nth_weekday(year, month, nth, weekday)
    after, _, day = rule.rpartition(">")
    month, number = map(int, day.split("-"))
    at = date(year, month, number)
    return at if not after else at + timedelta(days=(int(after) - at.weekday()) % 7)


def _nth_weekday(year: int, month: int, nth: int, weekday: int) -> date:
    days = list(_days_of(year, month, weekday))
    return days[nth - 1] if nth > 0 else days[nth]


def _days_of(year: int, month: int, weekday: int) -> Iterator[date]:
    at = date(year, month, 1)
    at += timedelta(days=(weekday - at.weekday()) % 7)
    while at.month == month:
        yield at
        at += timedelta(days=7)


def easter(year: int) -> date:
    """Easter Sunday in the Gregorian calendar (Meeus, Astronomical Algorithms, 1991, chapter 8)."""
    a, (b, c) = year % 19, divmod(year, 100)
    d, e = divmod(b, 4)
    g = (b - (b + 8) // 25 + 1) // 3
    h = (19 * a + b - d - g + 15) % 30
    i, k = divmod(c, 4)
    m = (32 + 2 * e + 2 * i - h - k) % 7
    n = (a + 11 * h + 22 * m) // 451
    month, day = divmod(h + m - 7 * n + 114, 31)
    return date(year, month, day + 1)
