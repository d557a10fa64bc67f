"""From SQL text to tokens, and from tokens to statements; nothing is executed, and bodies of routines are not looked into."""

from __future__ import annotations

import re
from bisect import bisect_right
from collections.abc import Iterator
from dataclasses import dataclass, field
from functools import lru_cache
from itertools import pairwise
from typing import NamedTuple

from ...model import Place, Problem
from ...model.problems import UnreadableError
from .dialects import Dialect


class Token(NamedTuple):
    """`kind` is word, name (quoted), text, number or sign; `value` is what it stands for, without its quotes.

    `key` is what keywords are compared with: a word in capitals, a sign as it is, nothing for all else.
    """

    kind: str
    value: str
    start: int
    end: int
    key: str


@lru_cache(maxsize=16)
def _pattern(dialect: Dialect) -> re.Pattern[str]:
    line_comment = r"--[^\n]*" if not dialect.backslashes else r"--(?=[\s]|$)[^\n]*"
    if dialect.hash_comments:
        line_comment += r"|\#[^\n]*"
    plain, escaped = r"'(?:[^']+|'')*+'", r"'(?:[^'\\]+|''|\\.)*+'"
    texts = [f"(?:[nNxXbB]|_[a-z0-9]+(?=')|)(?:{escaped if dialect.backslashes else plain})"]
    if dialect.dollars:
        texts.insert(0, f"[eE]{escaped}|[uU]&{plain}")
    names = [r'"(?:[^"]+|"")*+"']
    if dialect.backticks:
        names.append(r"`(?:[^`]+|``)*+`")
    if dialect.brackets:
        names.append(r"\[[^\]\n]*\]")
    return re.compile(  # the mark of a file's byte order is space, also where several files were put into one
        rf"(?:[\s\ufeff]+|{line_comment})*+(?:(?P<comment>/\*(?:M?!\d*)?)|(?P<text>{'|'.join(texts)})|(?P<name>{'|'.join(names)})"
        + (r"|(?P<dollar>\$(?:[^\W\d]\w*)?\$)" if dialect.dollars else "")
        + r"|(?P<number>0[xX][0-9a-fA-F]+|\d+(?:\.\d*)?(?:[eE][+-]?\d+)?|\.\d+(?:[eE][+-]?\d+)?)|(?P<word>[^\W\d][\w$]*)"
        r"|(?P<sign>::|:=|<=>|<=|>=|<>|!=|\|\||->>|->|\*/|.))?",  # nothing but space may be left
        re.S,
    )


_ESCAPES = {"n": "\n", "t": "\t", "r": "\r", "0": "\0", "b": "\b", "Z": "\x1a"}


def _unquoted(kind: str, raw: str, dialect: Dialect) -> str:
    if kind == "name":
        return raw[1:-1].replace(raw[-1] * 2, raw[-1])
    quote = raw.index("'")
    if raw[0] in "xX":
        return "\\x" + raw[2:-1]  # as PostgreSQL writes bytes
    inner = raw[quote + 1 : -1].replace("''", "'")
    if "\\" in inner and (dialect.backslashes or raw[:1] in "eE"):
        inner = re.sub(r"\\(.)", lambda m: _ESCAPES.get(m[1], m[1]), inner, flags=re.S)
    return inner


@dataclass(slots=True)
class Statement:
    """One statement. `closed` is false where the text ended inside it.

    `rows` is the span of the lines that follow a COPY. Of an INSERT only what stands before VALUES is in `tokens`: whoever
    reads its rows, from `values` on, sets `end`, so that the tokens of a large dump are never all kept.
    """

    tokens: list[Token]
    rows: tuple[int, int] | None = None
    values: int | None = None
    end: int | None = None
    closed: bool = True

    @property
    def words(self) -> tuple[str, ...]:
        """Its first words, in capitals."""
        return tuple(t.key if t.kind == "word" else "" for t in self.tokens[:8])


@dataclass(slots=True)
class Script:
    """SQL text of one file, or of no file at all where a database's own catalogue wrote it."""

    sql: str
    file: str
    dialect: Dialect
    lines: bool = True
    spelled: dict[str, str] = field(default_factory=dict)  # names with capitals inside, by what the dialect folds them to
    _ends: list[int] = field(default_factory=list)

    def place(self, offset: int) -> Place:
        if not self.lines:
            return Place(file=self.file)
        if not self._ends:
            self._ends = [m.start() for m in re.finditer("\n", self.sql)] or [len(self.sql)]
        line = bisect_right(self._ends, offset - 1) if offset else 0
        return Place(file=self.file, line=line + 1, column=offset - (self._ends[line - 1] if line else -1))

    def fault(self, fact: str, offset: int, hint: str | None = None) -> UnreadableError:
        hint = hint or f"read as {self.dialect.name}; another dialect is said with --dialect"
        return UnreadableError(Problem(fact=fact, place=self.place(offset), hint=hint))

    def tokens(self, start: int = 0, end: int | None = None) -> Iterator[Token]:
        """The tokens of a span; UnreadableError where a quote or a comment is not closed."""
        sql, dialect = self.sql, self.dialect
        match = _pattern(dialect).match
        at, stop = start, len(sql) if end is None else end
        while at < stop:
            found = match(sql, at, stop)
            kind = found.lastgroup if found is not None else None
            if found is None or kind is None:
                return
            value, start, at = found[kind], found.start(kind), found.end()
            if kind == "word":
                yield Token(kind, value, start, at, value.upper())
            elif kind == "number":
                yield Token(kind, value, start, at, "")
            elif kind == "sign":
                if value in "'\"`" and (value != "`" or dialect.backticks):
                    raise self.fault(f"the quote {value} is not closed", start)
                if value != "*/":  # the end of a comment whose text counts
                    yield Token(kind, value, start, at, value)
            elif kind == "text" or kind == "name":
                yield Token(kind, _unquoted(kind, value, dialect), start, at, "")
            elif kind == "comment":
                if not value.startswith(("/*!", "/*M!")) or not dialect.hash_comments:
                    at = self._comment_end(start, stop)
            elif kind == "dollar":
                close = sql.find(value, at, stop)
                if close < 0:
                    raise self.fault(f"the quote {value} is not closed", start)
                yield Token("text", sql[at:close], start, close + len(value), "")
                at = close + len(value)

    def _comment_end(self, start: int, stop: int) -> int:
        depth, at = 0, start
        for found in re.compile(r"/\*|\*/").finditer(self.sql, start, stop):
            depth += 1 if found[0] == "/*" and (depth == 0 or self.dialect.nested_comments) else -1 if found[0] == "*/" else 0
            at = found.end()
            if depth == 0:
                return at
        raise self.fault("the comment /* is not closed", start)

    def statements(self) -> Iterator[Statement]:
        """Every statement in turn. Meta-commands of the databases' shells are passed over, COPY's lines kept by their span."""
        at, delimiter = 0, ";"
        while at < len(self.sql):
            statement, at, delimiter = self._next(at, delimiter)
            if statement is not None:
                yield statement
                if statement.values is not None:
                    at = self.statement_end(statement.values, delimiter) if statement.end is None else statement.end

    def statement_end(self, at: int, delimiter: str = ";") -> int:
        """Behind the delimiter that ends the statement which goes on here."""
        for token in self.tokens(at):
            if token.kind in ("sign", "word") and self.sql.startswith(delimiter, token.start):
                return token.start + len(delimiter)
        return len(self.sql)

    def _next(self, at: int, delimiter: str) -> tuple[Statement | None, int, str]:
        tokens: list[Token] = []
        append, sql = tokens.append, self.sql
        routine: bool | None = None
        depth = 0
        for token in self.tokens(at):
            kind, value, start, end, word = token
            if kind == "sign":
                if delimiter != ";" and sql.startswith(delimiter, start):
                    return self._statement(tokens), start + len(delimiter), delimiter
                if value == ";" and delimiter == ";" and not depth:
                    return self._ended(tokens, end, delimiter)
                if value == "\\" or (value == "." and not tokens):
                    return self._statement(tokens), self._line_end(start), delimiter
            elif kind == "word":
                if not tokens and word == "DELIMITER":
                    line_end = self._line_end(start)
                    return None, line_end, sql[end:line_end].strip() or ";"
                if delimiter != ";" and sql.startswith(delimiter, start):
                    return self._statement(tokens), start + len(delimiter), delimiter
                if word in ("VALUES", "VALUE") and _before_rows(tokens):
                    return Statement(tokens, values=end), end, delimiter
                if word in _BLOCK_WORDS and delimiter == ";":
                    if routine is None:
                        routine = _is_routine(tokens)
                    if routine:
                        depth = _depth(depth, word, tokens)
            append(token)
        return (self._statement(tokens, closed=False), len(sql), delimiter) if tokens else (None, len(sql), delimiter)

    def _statement(self, tokens: list[Token], closed: bool = True) -> Statement | None:
        return Statement(tokens, closed=closed) if tokens else None

    def _ended(self, tokens: list[Token], at: int, delimiter: str) -> tuple[Statement | None, int, str]:
        statement = self._statement(tokens)
        if statement is None or statement.words[0] != "COPY" or tokens[-1].value.upper() == "PROGRAM":
            return statement, at, delimiter
        if not any(one.value.upper() == "FROM" and two.value.lower() == "stdin" for one, two in pairwise(tokens)):
            return statement, at, delimiter
        first = self._line_end(at) + 1
        last = re.compile(r"^\\\.\s*?$", re.M).search(self.sql, first)
        statement.rows = (first, last.start() if last else len(self.sql))
        statement.closed = last is not None
        return statement, last.end() if last else len(self.sql), delimiter

    def _line_end(self, at: int) -> int:
        end = self.sql.find("\n", at)
        return len(self.sql) if end < 0 else end


_BLOCK_WORDS = frozenset({"BEGIN", "END", "CASE", "IF", "LOOP", "WHILE", "REPEAT", "FOR"})


def _before_rows(tokens: list[Token]) -> bool:
    """Whether a VALUES that comes now begins an INSERT's rows, and is not a column of that name."""
    if not tokens or tokens[0].value.upper() not in ("INSERT", "REPLACE"):
        return False
    if tokens[-1].value.upper() in ("SYSTEM", "USER", "DEFAULT"):
        return False  # OVERRIDING SYSTEM VALUE, DEFAULT VALUES
    signs = [token.value for token in tokens if token.kind == "sign"]
    return signs.count("(") == signs.count(")")


def _is_routine(tokens: list[Token]) -> bool:
    words = [t.key for t in tokens[:12] if t.kind == "word"]
    return words[:1] == ["CREATE"] and not {"TRIGGER", "PROCEDURE", "FUNCTION", "EVENT", "PACKAGE"}.isdisjoint(words)


def _depth(depth: int, word: str, before: list[Token]) -> int:
    """How deep in BEGIN … END after this word; semicolons within belong to the routine."""
    if before and before[-1].key == "END":
        return depth if word == "CASE" else depth + 1  # END IF closes what was not counted when it opened
    if word == "END":
        return max(0, depth - 1)
    return depth + 1 if word in ("BEGIN", "CASE") else depth
