"""What machines and programs name: hosts, addresses of pages, files, versions, tokens, commands, settings, structured values."""

from __future__ import annotations

import json
import struct
import zlib
from collections.abc import Sequence
from itertools import product
from typing import Any

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from ..model.types import TEXTS, TypeName
from ..randomness import Key, Words
from ..randomness.mixing import word
from .patterns import Pattern
from .pools import fold, taker, text_pool
from .registry import KindError, Request, Values, declare
from .texts import topic_of

_KEY = Key(0x5BE0CD19137E2179, 0x510E527FADE682D1)


def _pool(texts: Sequence[str], request: Request, what: str) -> Values:
    fitting = [one for one in dict.fromkeys(texts) if request.fits(len(one))]
    if not fitting:
        raise KindError(f"no {what} has at most {request.room} characters")
    return Values(space=len(fitting), decode=taker(text_pool(fitting)))


def _pattern(pattern: str, request: Request, what: str) -> Values:
    try:
        made = Pattern(pattern, request.room)
    except ValueError as error:
        raise KindError(f"no {what} fits: {error}") from None
    if made.space < 1:
        raise KindError(f"no {what} has at most {request.room} characters")
    return Values(space=made.space, decode=made.decode)


_ROLES = "web db mail app cache build proxy file print backup log auth api queue search monitor gw dns vpn test".split()
_SITES = "lon par ber mad ams vie zrh osl".split()


@declare("host-name", "The name of a machine, in a domain set aside for examples.", standard="RFC 1123, RFC 2606")
def host_name(request: Request) -> Values:
    ends = ("", ".example.com", ".example.net")
    names = [f"{role}{n:02d}{end}" for n in range(1, 40) for role in _ROLES for end in ends]
    return _pool(
        [*names, *(f"{site}-{role}{n:02d}.example.com" for site in _SITES for role in _ROLES for n in range(1, 60))],
        request,
        "host",
    )


@declare("domain-name", "A domain set aside for examples.", standard="RFC 2606")
def domain_name(request: Request) -> Values:
    words = "north oak blue city green first open river stone market bright lake hill garden cloud studio craft media".split()
    return _pool(
        [f"{a}{b}.example" for a, b in product(words, words) if a != b] + [f"{a}.example.com" for a in words], request, "domain"
    )


@declare("subnet", "A network in a range for private use.", suits=TEXTS | {TypeName.INET}, standard="RFC 1918, RFC 4632")
def subnet(request: Request) -> Values:
    return _pool([f"10.{a}.{b}.0/24" for a in range(64) for b in range(0, 256, 4)], request, "network")


_PAGES = (
    "login search products about contact news profile settings reports downloads events help account dashboard calendar team "
    "prices jobs"
).split()


@declare("url-path", "The path of a page.", standard="RFC 3986")
def url_path(request: Request) -> Values:
    texts = [
        "/",
        *(f"/{page}" for page in _PAGES),
        *(f"/{page}/{n}" for page in _PAGES for n in range(1, 60)),
        *(f"/api/v1/{page}/{n}" for page in _PAGES for n in range(100, 130)),
    ]
    return _pool(texts, request, "path")


@declare("uri", "The address of a page in a domain set aside for examples.", standard="RFC 3986, RFC 2606", parameters=("row",))
def uri(request: Request) -> Values:
    row = request.parameters.get("row")
    things = [fold(thing) for thing in topic_of(request).words("things")]
    hosts = ("www.example.com", "www.example.org", "www.example.net")
    if row == "image":
        texts = [f"https://images.example.com/{thing}-{n}.jpg" for n in range(1, 60) for thing in things]
        short = "https://images\\.example\\.com/[a-z0-9]{4}\\.jpg"
    elif row == "git":
        texts = [
            f"https://git.example.com/{fold(team)}/{thing}.git"
            for team in ("core", "web", "data", "tools", "labs")
            for thing in things
        ]
        short = "https://git\\.example\\.com/[a-z0-9]{5}\\.git"
    else:
        texts = [
            f"https://{host}/{thing}{tail}"
            for host in hosts
            for thing in things
            for tail in ("", *(f"/{n}" for n in range(1, 40)))
        ]
        short = "https://example\\.(com|org|net)/[a-z0-9]{4}"
    if request.differ and len(texts) < 2 * request.rows:
        return _pattern(short.replace("{4}", "{6,10}").replace("{5}", "{6,10}"), request, "address")
    fitting = [one for one in dict.fromkeys(texts) if request.fits(len(one))]
    return Values(space=len(fitting), decode=taker(text_pool(fitting))) if fitting else _pattern(short, request, "address")


_FILES = {
    "pdf": "application/pdf",
    "jpg": "image/jpeg",
    "png": "image/png",
    "docx": "application/vnd.openxmlformats-officedocument.wordprocessingml.document",
    "xlsx": "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet",
    "csv": "text/csv",
    "txt": "text/plain",
    "zip": "application/zip",
    "json": "application/json",
    "html": "text/html",
}
_ENDINGS = tuple(_FILES)
_WEIGHTED = (0, 0, 0, 0, 0, 1, 1, 1, 2, 2, 3, 3, 4, 5, 6, 7)  # of sixteen files, which ending each has


def _kind_of_file(words: Words) -> NDArray[np.int64]:
    return np.asarray(np.array(_WEIGHTED)[(words >> np.uint64(60)).astype(np.int64)], np.int64)


@declare("file-name", "The name of a file, with its ending.", parameters=("row",), row="file")
def file_name(request: Request) -> Values:
    stems = [fold(thing).replace("-", "_") for thing in topic_of(request).words("things")]
    from .vocabulary import topic

    stems += [fold(name).replace("-", "_") for name in topic("files").words("names")]
    room = 10_000 if request.room is None else request.room
    stems = [stem for stem in dict.fromkeys(stems) if len(stem) + 10 <= room] or ["scan", "file", "img", "doc"]
    if room < 14:
        return _pattern("[a-z]{3}[0-9]{2}\\.(pdf|jpg|png)", request, "file")
    parts = [f"{stem}_{n:03d}" for stem in stems for n in range(1, 120)]
    count = len(parts)
    heads, tails = text_pool(parts), text_pool(f".{ending}" for ending in _ENDINGS)

    def decode(positions: Words) -> Any:
        import pyarrow.compute as pc

        ending = (positions // np.uint64(count)).astype(np.int64)
        return pc.binary_join_element_wise(
            heads.take(pa.array((positions % np.uint64(count)).astype(np.int64))), tails.take(pa.array(ending)), ""
        )

    def draw(words: Words) -> Words:
        return _kind_of_file(words).astype(np.uint64) * np.uint64(count) + (words & np.uint64(0xFFFFFFFFFF)) % np.uint64(count)

    return Values(space=count * len(_ENDINGS), decode=decode, draw=draw)


@declare("mime-type", "What a file is.", standard="RFC 2046", parameters=("row",), row="file")
def mime_type(request: Request) -> Values:
    every = [kind for kind in _FILES.values() if request.fits(len(kind))]
    if not every:
        raise KindError(f"no type of a file has at most {request.room} characters")
    if len(every) < len(_FILES) or request.differ:
        return Values(space=len(every), decode=taker(text_pool(every)))
    return Values(space=len(every), decode=taker(text_pool(every)), draw=lambda words: _kind_of_file(words).astype(np.uint64))


_AGENTS = [
    f"Mozilla/5.0 ({system}) {engine}"
    for system in ("Windows NT 10.0; Win64; x64", "X11; Linux x86_64", "Macintosh; Intel Mac OS X 10_15_7", "Linux; Android 14")
    for engine in (
        *(f"AppleWebKit/537.36 (KHTML, like Gecko) Chrome/{n}.0.0.0 Safari/537.36" for n in range(110, 128)),
        *(f"Gecko/20100101 Firefox/{n}.0" for n in range(110, 128)),
    )
]


@declare("user-agent", "What a browser says of itself.", standard="RFC 9110")
def user_agent(request: Request) -> Values:
    return _pool([*_AGENTS, "curl/8.5.0", "monitor/2.1", "Mozilla/5.0"], request, "browser")


@declare(
    "password-hash", "A password as it is stored: in the form of a hash that nobody can undo.", standard="the form of bcrypt"
)
def password_hash(request: Request) -> Values:
    if request.fits(60):
        return _pattern(r"\$2b\$12\$[./A-Za-z0-9]{53}", request, "hash")
    return token(request)  # type: ignore[return-value]


@declare("token", "A random token, recognisable as one for tests.")
def token(request: Request) -> Values:
    if request.least <= 32 and request.fits(32):
        width = 40 if request.fits(45) else 27
        return _pattern(f"test_[A-Za-z0-9]{{{width}}}", request, "token")
    width = request.room or 32
    return _pattern(f"[A-Za-z0-9]{{{max(request.least, min(width, 24))}}}" if width else "", request, "token")


@declare("public-key", "A key in the form of an SSH key.", standard="RFC 4253 (its form)")
def public_key(request: Request) -> Values:
    if not request.fits(79):
        return token(request)  # type: ignore[return-value]
    return _pattern("ssh-ed25519 AAAAC3NzaC1lZDI1NTE5AAAAI[A-Za-z0-9]{42}", request, "key")


@declare("message-id", "The identifier of a mail.", standard="RFC 5322")
def message_id(request: Request) -> Values:
    return _pattern("<[0-9a-f]{12}\\.[0-9]{5}@mail\\.example>", request, "identifier")


@declare("version", "A version of a program.", standard="Semantic Versioning 2.0.0")
def version(request: Request) -> Values:
    if request.fits(5):
        texts = [f"{a}.{b}.{c}" for c in range(12) for b in range(16) for a in range(1, 9)]
        more = [f"{a}.{b}.{c}" for c in range(12, 100) for b in range(100) for a in range(1, 9)] if request.differ else []
        return _pool([*texts, *more], request, "version")
    return _pool([f"{a}.{b}" for b in range(10) for a in range(1, 9)], request, "version")


@declare("git-branch", "A branch of a repository.")
def git_branch(request: Request) -> Values:
    things = [fold(thing) for thing in topic_of(request).words("things")]
    texts = (
        ["main"] * 1
        + [f"{kind}/{thing}" for kind in ("feature", "fix", "chore") for thing in things]
        + [f"release/{a}.{b}" for a in (1, 2, 3) for b in range(9)]
    )
    made = _pool(texts, request, "branch")
    if request.differ:
        return made
    return Values(
        space=made.space,
        decode=made.decode,
        draw=lambda words: np.where(words >> np.uint64(62) < np.uint64(2), np.uint64(0), words % np.uint64(made.space)),
    )


@declare("command", "A command of a shell.")
def command(request: Request) -> Values:
    texts = [
        f"check_{what} -H $HOST -w {w} -c {w + 10}"
        for what in ("http", "disk", "load", "ping", "smtp", "dns", "mem", "cert")
        for w in range(50, 90, 5)
    ]
    texts += [
        f"/usr/local/bin/{what} --{flag} {n}"
        for what in ("backup", "sync", "report", "cleanup", "export")
        for flag in ("days", "limit", "jobs")
        for n in (1, 7, 14, 30)
    ]
    return _pool([*texts, *("backup", "sync", "report", "cleanup")], request, "command")


@declare("arguments", "Arguments of a command.")
def arguments(request: Request) -> Values:
    texts = [
        f"--{a} {n} --{b}"
        for a in ("timeout", "limit", "retries", "days", "port")
        for n in (1, 5, 10, 30, 60)
        for b in ("verbose", "quiet", "json", "force")
    ]
    return _pool([*texts, *(f"-w {n}" for n in range(50, 95, 5)), "-v", "-q"], request, "argument")


@declare("query", "A query in SQL, or words that are searched for.")
def query(request: Request) -> Values:
    texts = [
        f"SELECT * FROM {table} WHERE {column} = {n}"
        for table in ("events", "members", "visits", "readings")
        for column in ("id", "status", "owner_id")
        for n in range(1, 30)
    ]
    return _pool([*texts, *topic_of(request).words("things")], request, "query")


@declare("setting-key", "The name of a setting.", parameters=("topic",))
def setting_key(request: Request) -> Values:
    keys = list(topic_of(request).words("keys"))
    more = [
        f"{area}.{key}"
        for area in ("mail", "ui", "backup", "api", "report")
        for key in ("enabled", "limit", "host", "interval", "format", "level")
    ]
    made = _pool([*keys, *more], request, "setting")
    if request.differ and made.space < request.rows:
        return _pattern("[a-z]{4,7}_(limit|mode|size|level|host|path)_[0-9]{1,4}", request, "setting")
    return made


@declare("cas-number", "A number in the form of a CAS registry number; its last digit is right.", standard="CAS")
def cas_number(request: Request) -> Values:
    def of(number: int) -> str:
        digits = str(number)
        return f"{digits[:-2]}-{digits[-2:]}-{sum((at + 1) * int(d) for at, d in enumerate(reversed(digits))) % 10}"

    return _pool([of(5000 + n * 317) for n in range(3000)], request, "number")


@declare("card-number", "A card number of a test range; its last digit is right.", standard="ISO/IEC 7812")
def card_number(request: Request) -> Values:
    def of(number: int) -> str:
        digits = f"400000{number:09d}"
        total = sum(sum(divmod(int(d) * (2 if at % 2 == 0 else 1), 10)) for at, d in enumerate(reversed(digits)))
        return f"{digits}{-total % 10}"

    return _pool([of(n * 9973) for n in range(4000)], request, "card number")


@declare(
    "vat-number", "A VAT number in the form of the country of the language; its check digits are right where the form has some."
)
def vat_number(request: Request) -> Values:
    if request.language == "de":
        return _pool([f"DE{_iso7064(f'{word(_KEY, n) % 10**8:08d}')}" for n in range(4000)], request, "VAT number")
    if request.language == "fr":

        def french(siren: int) -> str:
            return f"FR{(12 + 3 * (siren % 97)) % 97:02d}{siren:09d}"

        return _pool([french(100_000_000 + word(_KEY, n) % 899_999_999) for n in range(4000)], request, "VAT number")
    if request.language == "es":
        return _pattern("ESB[0-9]{8}", request, "VAT number")

    def british(number: int) -> str:
        digits = f"{number:07d}"
        check = 97 - (sum(int(d) * w for d, w in zip(digits, range(8, 1, -1), strict=True)) + 55) % 97
        return f"GB{digits}{check:02d}"

    return _pool([british(1_000_000 + word(_KEY, n) % 8_999_999) for n in range(4000)], request, "VAT number")


def _iso7064(digits: str) -> str:
    """ISO 7064, MOD 11,10."""
    product_ = 10
    for digit in digits:
        total = (int(digit) + product_) % 10 or 10
        product_ = total * 2 % 11
    return f"{digits}{(11 - product_) % 10}"


def _png(red: int, green: int, blue: int, size: int) -> bytes:
    """A square of one colour. Blocks are stored, not packed: a library's compression may change, these bytes do not."""

    def chunk(name: bytes, data: bytes) -> bytes:
        return struct.pack(">I", len(data)) + name + data + struct.pack(">I", zlib.crc32(name + data))

    rows = b"".join(b"\x00" + bytes((red, green, blue)) * size for _ in range(size))
    stored = b"\x78\x01\x01" + struct.pack("<HH", len(rows), len(rows) ^ 0xFFFF) + rows + struct.pack(">I", zlib.adler32(rows))
    head = chunk(b"IHDR", struct.pack(">IIBBBBB", size, size, 8, 2, 0, 0, 0))
    return b"\x89PNG\r\n\x1a\n" + head + chunk(b"IDAT", stored) + chunk(b"IEND", b"")


def _blobs(blobs: list[bytes], request: Request, what: str) -> Values:
    fitting = [one for one in dict.fromkeys(blobs) if request.fits(len(one))]
    if not fitting:
        raise KindError(f"no {what} has at most {request.room} bytes")
    pool = pa.array(fitting, pa.binary())
    return Values(space=len(fitting), decode=lambda at: pool.take(pa.array(at.astype(np.int64))))


@declare("image", "A small picture in one colour.", suits=frozenset({TypeName.BYTEA}), standard="PNG (ISO/IEC 15948)")
def image(request: Request) -> Values:
    return _blobs(
        [_png(r, g, b, 8) for r in range(40, 256, 36) for g in range(40, 256, 36) for b in range(40, 256, 36)], request, "picture"
    )


@declare("document", "A text as bytes.", suits=frozenset({TypeName.BYTEA}))
def document(request: Request) -> Values:
    own = topic_of(request)
    return _blobs(
        [f"{thing}: {issue}.\n".encode() for thing in own.words("things") for issue in own.words("issues")], request, "document"
    )


def _json_of(what: str, request: Request) -> list[Any]:
    own = topic_of(request)
    things, tags, kinds = own.words("things"), own.words("tags"), own.words("kinds")

    def pick(listed: Sequence[Any], n: int, salt: int) -> Any:
        return listed[word(_KEY, n * 64 + salt) % len(listed)]

    def one(n: int) -> Any:
        match what:
            case "settings":
                return {
                    "theme": pick(("light", "dark", "system"), n, 1),
                    "language": pick(("en", "de", "fr", "es"), n, 2),
                    "notifications": {"email": pick((True, False), n, 3), "push": pick((True, False), n, 4)},
                    "page_size": pick((10, 20, 25, 50, 100), n, 5),
                }
            case "metadata":
                return {
                    "source": pick(("web", "import", "mobile", "api"), n, 1),
                    "kind": pick(kinds, n, 2),
                    "tags": [pick(tags, n, 3)],
                    "revision": 1 + word(_KEY, n * 64 + 4) % 9,
                }
            case "headers":
                return {
                    "Content-Type": pick(("application/json", "text/plain", "text/html"), n, 1),
                    "Accept": "*/*",
                    "X-Request-Id": f"req-{word(_KEY, n) % 10**8:08d}",
                }
            case "tags":
                return list(dict.fromkeys([pick(tags, n, 1), pick(tags, n, 2), pick(tags, n, 3)]))
            case "items":
                return [{"name": pick(things, n, at), "quantity": 1 + word(_KEY, n * 64 + at + 9) % 6} for at in range(1 + n % 3)]
            case "address":
                return {
                    "street": f"{1 + n % 180} {pick(('Mill', 'Park', 'Station', 'High', 'Oak', 'Church'), n, 1)} Street",
                    "city": pick(("Leeds", "Bristol", "York", "Norwich", "Exeter", "Derby"), n, 3),
                    "country": "GB",
                }
            case "point":
                return {
                    "type": "Point",
                    "coordinates": [
                        round(-3 + word(_KEY, n) % 60000 / 10000, 4),
                        round(50 + word(_KEY, n + 7) % 50000 / 10000, 4),
                    ],
                }
            case "changes":
                return {
                    "status": {"from": pick(("new", "open"), n, 1), "to": pick(("in progress", "done", "closed"), n, 2)},
                    "by": pick(("import", "web", "mobile"), n, 3),
                }
            case "schema":
                return {
                    "type": "object",
                    "properties": {
                        "name": {"type": "string"},
                        pick(("amount", "note", "date", "count"), n, 1): {"type": pick(("string", "number"), n, 2)},
                    },
                }
            case "metrics":
                return {
                    "count": word(_KEY, n) % 400,
                    "average": round(word(_KEY, n + 1) % 900 / 10, 1),
                    "maximum": 90 + word(_KEY, n + 2) % 60,
                }
            case "translations":
                return {"en": pick(things, n, 1), "de": pick(("Bericht", "Liste", "Plan", "Formular", "Hinweis"), n, 2)}
            case "hours":
                return {
                    "mon-fri": f"0{8 + n % 2}:00-1{7 + n % 2}:00",
                    "sat": pick(("09:00-13:00", "10:00-14:00", "closed"), n, 1),
                }
            case "emails":
                return [
                    f"{pick(('office', 'team', 'info', 'support', 'desk', 'sales'), n, at)}{n % 40}@example.com"
                    for at in range(1 + n % 2)
                ]
            case _:
                return {
                    "id": 1000 + word(_KEY, n) % 90000,
                    "type": pick(kinds, n, 1),
                    "name": pick(things, n, 2),
                    "ok": pick((True, True, True, False), n, 3),
                }

    return [one(n) for n in range(600)]


def _in_order(value: Any) -> Any:
    """Keys in the order in which PostgreSQL's jsonb keeps them, so that what comes back is the text that went in."""
    if isinstance(value, dict):
        return {key: _in_order(value[key]) for key in sorted(value, key=lambda key: (len(key.encode()), key))}
    return [_in_order(one) for one in value] if isinstance(value, list) else value


@declare(
    "json",
    "A structured value, by what it is for.",
    suits=TEXTS | {TypeName.JSON, TypeName.ARRAY},
    standard="RFC 8259",
    parameters=("for", "topic"),
)
def structured(request: Request) -> Values:
    """`for`: settings, metadata, payload, headers, tags, items, address, point, changes, schema, metrics, translations, hours."""
    what = request.parameters.get("for", "metadata")
    if request.type.name is TypeName.ARRAY:
        from .texts import lists_of

        if what == "emails":
            return lists_of(
                [f"{name}@example.com" for name in ("office", "team", "info", "support", "desk", "sales", "news", "help")],
                request,
            )
        return lists_of(topic_of(request).words("tags"), request)
    texts = list(dict.fromkeys(json.dumps(_in_order(one), ensure_ascii=False) for one in _json_of(what, request)))
    fitting = [one for one in texts if request.type.name is TypeName.JSON or request.fits(len(one))]
    if not fitting and request.fits(12):
        fitting = [f'{{"id": {number}}}' for number in range(1000, 1900)]
    if not fitting:
        raise KindError(f"nothing of that shape has at most {request.room} characters")
    return Values(space=len(fitting), decode=taker(text_pool(fitting)))
