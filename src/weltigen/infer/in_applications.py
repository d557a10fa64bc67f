"""Guesses that applications call for: what a key opens, what a server answered, what a file ends in."""

from __future__ import annotations

from collections.abc import Callable

from ..model import Field
from .around import Around, Guessed
from .naming.values import in_language
from .nouns import SYSTEMS
from .of_row import of_kind
from .offers import by_pattern, by_words, has_room, of_named_kind, read_pairs

Context = Callable[[Around, Field, str, float], Guessed | None]

_ATTRIBUTES = {"login": "uid", "username": "uid", "uid": "uid", "mail": "mail", "email": "mail", "first": "givenName",
               "given": "givenName", "last": "sn", "surname": "sn"}  # fmt: skip


def _of_directory(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """What a directory calls a part of a person (RFC 4519), in settings of what asks it; attributes of entities are others."""
    if around.head == "attribute":
        return None
    told = next((_ATTRIBUTES[word] for word in around.words[field.name] if word in _ATTRIBUTES), "cn")
    others = {"uid": "sAMAccountName", "cn": "displayName"}.get(told)
    pairs = ((told, 60.0), (others, 40.0)) if others is not None else ((told, 100.0),)
    return by_words(field, pairs, f"{reason}, an attribute of a directory", sure)


def _git_ref(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """A branch or a tag as a repository names it, where one is about."""
    told = {"repository", "repo", "commit", "branch", "pull", "run", "workflow"} & set(around.noun) or around.has(
        "commit sha", "repository id", "sha", "repo id", "commit id", "repository", "branch", "workflow id"
    )
    return by_words(field, _REFS, f"{reason}, of a repository", sure) if told else None


_REFS = read_pairs(
    "refs/heads/main:48, refs/heads/develop:18, refs/heads/release-1.4:8, refs/heads/release-2.0:8, refs/tags/v1.4.0:8, "
    "refs/tags/v1.4.1:6, refs/tags/v2.0.0:4"
)


def _diffed(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """What changed in lines of a file, as `diff -u` writes it."""
    lines = around.has("commit sha", "sha", "tree path", "file path", "line", "commit id", "filename", "path")
    if (field.room is not None and field.room < 60) or not (lines or around.topic.within(*SYSTEMS)):
        return None
    form = "@@ -[1-9][0-9],3 \\+[1-9][0-9],4 @@\n (  return|  if|  for) [a-z]{4,8}\n\\+  log\\([a-z]{4,8}\\)\n"
    return by_pattern(field, form, f"{reason}, of lines of a file", sure)


_RESOLUTIONS = read_pairs("fixed:52, works as designed:14, duplicate:12, not reproducible:12, declined:10")
_SETTLED = read_pairs("refund:32, repair:22, replacement:20, part refund:14, declined:12")
_OBJECTED_TO = frozenset("claim complaint return dispute warranty objection grievance".split())
_SCREENS = read_pairs("1920x1080:44, 1366x768:20, 1440x900:14, 2560x1440:12, 390x844:10")


def _resolved(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """How a complaint was settled; the size of a screen, beside a browser."""
    screen = around.has("browser", "browser name", "device type", "user agent", "os", "operating system", "browser version")
    if screen or around.head in ("monitor", "screen", "display", "camera", "video"):
        return by_words(field, _SCREENS, f"{reason}, of a screen", sure + 0.15)
    if _OBJECTED_TO & set(around.noun) and not around.topic.within(*SYSTEMS):
        return by_words(field, in_language(_SETTLED, around.vocabulary.language), f"{reason}, of a {around.head}", sure)
    return by_words(field, _RESOLUTIONS, reason, sure * 0.87)


def _teamed(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    return of_named_kind("thing-name", reason, sure, topic="departments") if has_room(field, 12) else None


_SETTINGS_OF = frozenset(
    "setting config configuration option property preference parameter attribute metadata meta feature flag translation string "
    "message label variable param prefs datum registry item lookup constant".split()
)


def _keyed(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """What a value is kept under; of a thing that others come to by it, letters that nobody guesses."""
    named = around.has("value", "setting", "translation", "default value", "val", "default") or _SETTINGS_OF & set(around.noun)
    alone = any(rule.columns == (field.name,) for rule in around.entity.unique_rules)
    if named or (len(around.words[field.name]) == 1 and not alone):
        return of_kind(around, field, "setting-key", {}, reason, sure * 0.9)
    return by_pattern(
        field, "[A-Za-z0-9]{32}" if has_room(field, 32) else "[A-Za-z0-9]{12}", f"{reason}, that is hard to guess", sure
    )


def _user_macro(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """What stands for a value in texts of a monitoring system; elsewhere a macro is a thing with a name."""
    if not around.has("value", "hostid", "host id"):
        return None
    return by_pattern(field, r"\{\$[A-Z]{4,9}(_[A-Z]{3,8})?\}", reason, sure)


_OF_REQUESTS = (
    "url", "uri", "method", "http method", "user agent", "endpoint", "request", "response", "response time", "headers", "ip",
    "remote address", "response body", "request body", "referer", "webhook",
)  # fmt: skip
_HTTP = read_pairs("200:74, 404:8, 301:5, 304:4, 500:4, 403:3, 201:2")


def _http_code(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """What a server of the web answered (RFC 9110); machines have codes of their own."""
    web = around.topic.within("web", "websites", "integrations", "logs", "network", "hosting", "software")
    if not web and not around.has(*_OF_REQUESTS):
        return None
    return by_words(field, _HTTP, f"{reason}, of an answer", sure)


def _answered(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """The status of an answer, beside what was asked and what came back."""
    asked = around.has("request data", "request headers", "request body", "response data", "response headers", "response body")
    return by_words(field, _HTTP, f"{reason}, of an answer", sure) if asked else None


def _extended(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """The ending of a file's name; the number of a telephone within a house."""
    file = around.topic.within("files", "storage", "software")
    file = file or around.has("mime type", "mimetype", "file name", "filename", "path")
    if file and not around.has("phone", "telephone"):
        return of_kind(around, field, "file-extension", {}, f"{reason}, of a file", sure)
    return by_pattern(field, "[1-9][0-9]{2,3}", reason, sure)


_TESTED = (
    "(Which of these is an example of (a mammal|a metaphor|an acid|a fraction|a democracy|a mineral|a verb|a renewable resource)"
    "|What (is the cause of|is meant by|best describes) (erosion|osmosis|inflation|friction|condensation|photosynthesis|momentum)"
    "|In which unit is (force|pressure|energy|voltage|speed|power) measured)\\?"
)


def _asked(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """What a question asks: of what was taught in a test, else what somebody thinks."""
    taught = around.topic.within("examinations", "courses", "schooling") or bool({"quiz", "exam", "test"} & set(around.noun))
    taught = taught or any(entity.topic in ("examinations", "courses", "schooling") for entity in around.world.entities)
    if not has_room(field, 60):
        return None
    if taught and around.vocabulary.language == "en":
        return by_pattern(field, _TESTED, f"{reason}, of what was taught", sure)
    return of_named_kind("thing-name", f"{reason}, of an opinion", sure, topic="surveys", list="questions")


def _issuing(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """Who gives out what the row is: a firm; of a certificate of a server, whoever signed it."""
    if around.has("fingerprint", "serial", "cert", "subject", "public key", "thumbprint", "subject name"):
        return by_pattern(
            field, "CN=(Example|Test|Internal|Staging) (Root|Issuing) CA( [1-3])?", f"{reason}, of a certificate", sure
        )
    return of_kind(around, field, "organization", {}, f"{reason}, who gives it out", sure)


def _port_number(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """The port of a server that is kept as a text; where ships lie is told elsewhere."""
    if not around.has("host", "hostname", "host name", "ip", "ip address", "engine", "password", "protocol", "server"):
        return None
    return by_words(field, read_pairs("5432:26, 3306:24, 443:20, 8080:12, 22:10, 25:8"), f"{reason}, of a server", sure)


def _job_typed(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """What a machine does by itself; elsewhere another concept tells it."""
    if not around.topic.within(*SYSTEMS):
        return None
    return by_words(field, _TASKS, f"{reason}, of a machine", sure)


_TASKS = read_pairs("import:24, export:20, cleanup:18, reindex:12, send_mail:12, backup:8, sync:6")


def _discriminated(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """Which class of the application a row is of, where one table holds those of several."""
    noun = "".join(map(str.capitalize, around.noun))
    names = [name for name in (f"Standard{noun}", f"External{noun}", f"Archived{noun}") if has_room(field, len(name))]
    pairs = tuple(zip(names, (70.0, 20.0, 10.0), strict=False))
    return by_words(field, pairs, f"{reason}, a class of {' '.join(around.noun)}", sure) if pairs else None


IN_APPLICATIONS: dict[str, Context] = {
    "gitref": _git_ref,
    "diffed": _diffed,
    "resolved": _resolved,
    "teamed": _teamed,
    "extended": _extended,
    "ofdirectory": _of_directory,
    "jobtyped": _job_typed,
    "keyed": _keyed,
    "usermacro": _user_macro,
    "httpcode": _http_code,
    "answered": _answered,
    "asked": _asked,
    "issuing": _issuing,
    "portnumber": _port_number,
    "discriminated": _discriminated,
}
