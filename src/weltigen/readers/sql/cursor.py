"""Going through the tokens of one statement: words taken, names read, groups entered, expressions kept as they were written."""

from __future__ import annotations

import re
from collections.abc import Iterator

from ...model import Place
from .tokens import Script, Token

_OPEN, _CLOSE = frozenset("(["), frozenset(")]")
_END = Token("end", "", -1, -1, "")


class Cursor:
    """A place among tokens. Words are compared in capitals and only where they are not quoted."""

    __slots__ = ("at", "script", "stop", "tokens")

    def __init__(self, script: Script, tokens: list[Token], at: int = 0, stop: int | None = None) -> None:
        self.script, self.tokens, self.at = script, tokens, at
        self.stop = len(tokens) if stop is None else stop

    def __bool__(self) -> bool:
        return self.at < self.stop

    def peek(self, ahead: int = 0) -> Token:
        return self.tokens[self.at + ahead] if self.at + ahead < self.stop else _END

    def word(self, ahead: int = 0) -> str:
        """The word here in capitals; empty where no plain word stands."""
        token = self.peek(ahead)
        return token.key if token.kind == "word" else ""

    def sees(self, *words: str) -> bool:
        """Whether these words or signs stand here."""
        at = self.at
        if at + len(words) > self.stop:
            return False
        for word in words:
            if self.tokens[at].key != word:
                return False
            at += 1
        return True

    def take(self, *words: str) -> bool:
        """Step over these words or signs where they all stand here."""
        if self.sees(*words):
            self.at += len(words)
            return True
        return False

    def take_any(self, *words: str) -> str:
        """Step over one of these words; empty where none stands here."""
        if (word := self.word()) in words:
            self.at += 1
            return word
        return ""

    def next(self) -> Token:
        token = self.peek()
        self.at += 1
        return token

    @property
    def offset(self) -> int:
        """Where in the text this stands; the end of the last token when all are taken."""
        if self.at < self.stop:
            return self.tokens[self.at].start
        return self.tokens[self.stop - 1].end if self.stop else 0

    def place(self) -> Place:
        return self.script.place(self.offset)

    def is_name(self, ahead: int = 0) -> bool:
        return self.peek(ahead).kind in ("word", "name")

    def name(self) -> str:
        """An identifier as the database keeps it; UnreadableError where none stands."""
        token = self.peek()
        if token.kind == "text" and self.script.dialect.name == "sqlite":
            self.at += 1  # SQLite takes 'name' for a name where only a name can stand
            return token.value
        if not self.is_name():
            raise self.unexpected("a name")
        self.at += 1
        return folded(token, self.script)

    def qualified(self) -> tuple[str | None, str]:
        """Schema, or None, and name."""
        schema, name = None, self.name()
        while self.sees(".") and self.is_name(1):
            self.at += 1
            schema, name = name, self.name()
        return schema, name

    def unexpected(self, wanted: str) -> Exception:
        token = self.peek()
        if token is _END:
            return self.script.fault(f"the statement ends where {wanted} should stand", self.offset, "is the file complete?")
        shown = self.script.sql[token.start : min(token.end, token.start + 30)]
        return self.script.fault(f"SQL that cannot be read, at '{shown}': {wanted} should stand there", token.start)

    def group(self) -> Cursor:
        """The inside of the parentheses that open here; steps behind them."""
        if not self.take("("):
            raise self.unexpected("'('")
        inside = Cursor(self.script, self.tokens, self.at, self._closing())
        self.at = inside.stop + 1
        return inside

    def _closing(self) -> int:
        depth = 1
        for at in range(self.at, self.stop):
            kind, value = self.tokens[at][:2]
            if kind == "sign":
                if value in _OPEN:
                    depth += 1
                elif value in _CLOSE:
                    depth -= 1
                    if not depth:
                        return at
        raise self.script.fault("a parenthesis is not closed", self.tokens[self.at - 1].start, "is the file complete?")

    def items(self) -> Iterator[Cursor]:
        """The parts between commas that stand in no parentheses, from here to the end."""
        while self:
            start = self.at
            self.skip_item()
            yield Cursor(self.script, self.tokens, start, self.at)
            self.at += 1

    def skip_item(self, stops: frozenset[str] = frozenset()) -> None:
        """To the next comma that stands in no parentheses, or the next of `stops` behind the first token."""
        start, depth = self.at, 0
        while self.at < self.stop:
            kind, value, _, _, key = self.tokens[self.at]
            if kind == "sign":
                if value == "," and not depth:
                    return
                depth += 1 if value in _OPEN else -1 if value in _CLOSE else 0
            elif stops and kind == "word" and not depth and self.at > start and key in stops:
                return
            self.at += 1

    def skip_group(self) -> None:
        if self.sees("("):
            self.group()

    def text(self, start: int | None = None, stop: int | None = None) -> str:
        """The source text from token `start` to `stop`, on one line, comments left out."""
        start, stop = self.at if start is None else start, self.stop if stop is None else stop
        if start >= stop:
            return ""
        sql, parts, last = self.script.sql, [], -1
        for token in self.tokens[start:stop]:
            if last >= 0 and token.start > last:
                parts.append(" ")
            parts.append(sql[token.start : token.end])
            last = token.end
        return "".join(parts)

    def expression(self, stops: frozenset[str]) -> str:
        """The text of an expression that ends before one of `stops`, before a comma, or with the tokens; never empty."""
        start = self.at
        self.skip_item(stops)
        if self.at == start:
            raise self.unexpected("an expression")
        return self.text(start, self.at)


def folded(token: Token, script: Script) -> str:
    """The name that a token stands for: PostgreSQL folds what is not quoted."""
    if token.kind != "word" or not script.dialect.folds_case:
        return token.value
    lower = token.value.lower()
    if _CAPITAL_INSIDE.search(token.value):
        script.spelled.setdefault(lower, token.value)
    return lower


_CAPITAL_INSIDE = re.compile("[a-z][A-Z]")
