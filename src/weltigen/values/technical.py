"""What machines and programs name: hosts, addresses of pages, versions, tokens, commands, settings."""

from __future__ import annotations

from functools import lru_cache
from itertools import product

import numpy as np

from ..model.types import TEXTS, TypeName
from ..randomness import Key
from .choosing import pool_of
from .patterns import texts_of
from .people import names_of
from .pools import fold, taker, text_pool
from .registry import KindError, Request, Values, declare
from .texts import topic_of

KEY = Key(0x5BE0CD19137E2179, 0x510E527FADE682D1)


def pattern_of(pattern: str, request: Request, what: str) -> Values:
    try:
        made = texts_of(pattern, request.room)
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
    return pool_of(
        [*names, *(f"{site}-{role}{n:02d}.example.com" for site in _SITES for role in _ROLES for n in range(1, 60))],
        request,
        "host",
    )


@declare("domain-name", "A domain set aside for examples.", standard="RFC 2606")
def domain_name(request: Request) -> Values:
    words = "north oak blue city green first open river stone market bright lake hill garden cloud studio craft media".split()
    return pool_of(
        [f"{a}{b}.example" for a, b in product(words, words) if a != b] + [f"{a}.example.com" for a in words], request, "domain"
    )


@declare("subnet", "A network in a range for private use.", suits=TEXTS | {TypeName.INET}, standard="RFC 1918, RFC 4632")
def subnet(request: Request) -> Values:
    return pool_of([f"10.{a}.{b}.0/24" for a in range(64) for b in range(0, 256, 4)], request, "network")


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
    return pool_of(texts, request, "path")


@declare("uri", "The address of a page in a domain set aside for examples.", standard="RFC 3986, RFC 2606", parameters=("row",))
def uri(request: Request) -> Values:
    texts, short = _addresses(request.parameters.get("row"), tuple(topic_of(request).words("things")), request.locale)
    if request.differ and len(texts) < 2 * request.rows:
        return pattern_of(short.replace("{4}", "{6,10}").replace("{5}", "{6,10}"), request, "address")
    fitting = [one for one in texts if request.fits(len(one))]
    return Values(space=len(fitting), decode=taker(text_pool(fitting))) if fitting else pattern_of(short, request, "address")


@lru_cache(maxsize=256)
def _addresses(row: str | None, named: tuple[str, ...], locale: str) -> tuple[tuple[str, ...], str]:
    """Addresses of pages about things, or of images, sites or repositories; and the pattern of those for narrow fields."""
    things = [fold(thing) for thing in named]
    hosts = ("www.example.com", "www.example.org", "www.example.net")
    if row == "image":
        texts = [f"https://images.example.com/{thing}-{n}.jpg" for n in range(1, 60) for thing in things]
        short = "https://images\\.example\\.com/[a-z0-9]{4}\\.jpg"
    elif row == "site":
        families = [fold(name) for name in names_of(locale, "family")[:300]]
        texts = [f"https://www.{name}.example" for name in families if name.isascii()]
        short = r"https://[a-z]{5,9}\.example"
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
    return tuple(dict.fromkeys(texts)), short


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
    return pool_of([*_AGENTS, "curl/8.5.0", "monitor/2.1", "Mozilla/5.0"], request, "browser")


@declare("token", "A random token, recognisable as one for tests.")
def token(request: Request) -> Values:
    if request.least <= 32 and request.fits(32):
        width = 40 if request.fits(45) else 27
        return pattern_of(f"test_[A-Za-z0-9]{{{width}}}", request, "token")
    width = request.room or 32
    return pattern_of(f"[A-Za-z0-9]{{{max(request.least, min(width, 24))}}}" if width else "", request, "token")


@declare("public-key", "A key in the form of an SSH key.", standard="RFC 4253 (its form)")
def public_key(request: Request) -> Values:
    if not request.fits(79):
        return token(request)  # type: ignore[return-value]
    return pattern_of("ssh-ed25519 AAAAC3NzaC1lZDI1NTE5AAAAI[A-Za-z0-9]{42}", request, "key")


@declare("message-id", "The identifier of a mail.", standard="RFC 5322")
def message_id(request: Request) -> Values:
    return pattern_of("<[0-9a-f]{12}\\.[0-9]{5}@mail\\.example>", request, "identifier")


@declare("version", "A version of a program.", standard="Semantic Versioning 2.0.0")
def version(request: Request) -> Values:
    if request.fits(5):
        texts = [f"{a}.{b}.{c}" for c in range(12) for b in range(16) for a in range(1, 9)]
        more = [f"{a}.{b}.{c}" for c in range(12, 100) for b in range(100) for a in range(1, 9)] if request.differ else []
        return pool_of([*texts, *more], request, "version")
    return pool_of([f"{a}.{b}" for b in range(10) for a in range(1, 9)], request, "version")


@declare("git-branch", "A branch of a repository.")
def git_branch(request: Request) -> Values:
    things = [fold(thing) for thing in topic_of(request).words("things")]
    texts = (
        ["main"] * 1
        + [f"{kind}/{thing}" for kind in ("feature", "fix", "chore") for thing in things]
        + [f"release/{a}.{b}" for a in (1, 2, 3) for b in range(9)]
    )
    made = pool_of(texts, request, "branch")
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
    return pool_of([*texts, *("backup", "sync", "report", "cleanup")], request, "command")


@declare("arguments", "Arguments of a command.")
def arguments(request: Request) -> Values:
    texts = [
        f"--{a} {n} --{b}"
        for a in ("timeout", "limit", "retries", "days", "port")
        for n in (1, 5, 10, 30, 60)
        for b in ("verbose", "quiet", "json", "force")
    ]
    return pool_of([*texts, *(f"-w {n}" for n in range(50, 95, 5)), "-v", "-q"], request, "argument")


@declare("query", "A query in SQL, or words that are searched for.")
def query(request: Request) -> Values:
    texts = [
        f"SELECT * FROM {table} WHERE {column} = {n}"
        for table in ("events", "members", "visits", "readings")
        for column in ("id", "status", "owner_id")
        for n in range(1, 30)
    ]
    return pool_of([*texts, *topic_of(request).words("things")], request, "query")


_AREAS = "mail ui backup api report search login export import cache theme upload session user admin feed".split()
_SET = "default list page image file server queue table home comment token archive menu message image_cache time".split()
_ENDS = ("size", "timeout", "path", "mode", "order", "colour", "url", "language", "prefix", "days")


@declare("setting-key", "The name of a setting.", parameters=("topic",))
def setting_key(request: Request) -> Values:
    keys = list(topic_of(request).words("keys"))
    areas = ("mail", "ui", "backup", "api", "report")
    ends = ("enabled", "limit", "host", "interval", "format", "level")
    made = pool_of([*keys, *(f"{area}.{end}" for area in areas for end in ends)], request, "setting")
    if request.differ and made.space < request.rows:
        many = [f"{area}{mark}{of}_{end}" for mark in ("_", ".") for of in _SET for area in _AREAS for end in (*ends, *_ENDS)]
        made = pool_of([*keys, *many], request, "setting")
    if request.differ and made.space < request.rows:
        return pattern_of("[a-z]{4,7}_(limit|mode|size|level|host|path)_[0-9]{1,4}", request, "setting")
    return made


_PARTS = (
    "access archive backup cache config event export filter import index mail media message queue report search session sync user"
).split()
_DO = "builder check group handler list loader lookup manager profile rule service store task view".split()


@declare("part-name", "The name that a program gives one of its parts, or several of these.", parameters=("several",))
def part_name(request: Request) -> Values:
    if request.parameters.get("several") == "yes":
        one = f"({'|'.join(_PARTS)})"
        return pattern_of(f"{one}(,{one}){{0,3}}", request, "parts")
    return pool_of([f"{part}_{does}" for part in _PARTS for does in _DO], request, "part")
