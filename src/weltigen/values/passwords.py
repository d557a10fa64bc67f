"""Passwords as applications keep them: one known text, hashed in the form that a framework reads.

The rows of a field share a dozen hashes, or fewer where one takes long: a salt for each row would take as long as so many logins.
Salts follow from the seed, so that a run repeats; a hash is made when rows are, and never to plan them.
"""

from __future__ import annotations

import hashlib
import re
from base64 import b64encode
from collections.abc import Callable
from dataclasses import dataclass
from datetime import datetime
from functools import lru_cache, partial
from string import ascii_letters, digits
from typing import Any

import numpy as np

from ..model import Field, KindSource
from ..model.types import TypeName
from ..randomness import Words
from .pools import picked, text_pool
from .registry import KindError, Request, Values, declare

_QUALITIES = (
    "amber brisk calm clever copper crisp daring eager early faded gentle golden hidden humble ivory jolly keen lively lucky "
    "mellow misty modest nimble patient plain polite proud quick quiet rapid rustic scarlet silver simple sober solid steady "
    "sunny sturdy tidy velvet vivid warm wild"
).split()
_THINGS = (
    "acorn basket bottle branch bridge button candle canyon carpet castle cherry cotton cradle curtain desert falcon feather "
    "forest garden guitar hammer island jacket kettle ladder lantern magnet marble meadow mirror napkin orchid paddle pebble "
    "pepper pillow pocket puzzle ribbon saddle shelter spindle teapot thimble timber violin walnut window"
).split()
_LETTERS = ascii_letters + digits
_BCRYPT = str.maketrans(
    "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/", "./" + _LETTERS[26:52] + _LETTERS[:26] + digits
)


def known_password(seed: int) -> str:
    """Two words that are easy to type, by the seed: what passwords are where nobody says."""
    one, other = np.frombuffer(hashlib.blake2b(f"password {seed}".encode(), digest_size=16).digest(), "<u8").tolist()
    return f"{_QUALITIES[one % len(_QUALITIES)]}-{_THINGS[other % len(_THINGS)]}"


@dataclass(frozen=True, slots=True)
class _Salt:
    """Sixteen bytes, and sixteen or twenty-two letters and digits."""

    octets: bytes

    def letters(self, count: int) -> str:
        number = int.from_bytes(hashlib.blake2b(self.octets, digest_size=24).digest(), "big")
        return "".join(_LETTERS[number // len(_LETTERS) ** at % len(_LETTERS)] for at in range(count))


def _base64(octets: bytes) -> str:
    return b64encode(octets).decode()


_Make = Callable[[str, _Salt, int], str]


def _bcrypt(plain: str, salt: _Salt, cost: int) -> str:
    import bcrypt

    # 22 characters of bcrypt's own alphabet hold 132 bits, of which the last four are none
    text = b64encode(salt.octets + b"\0\0").decode()[:22].translate(_BCRYPT)
    return bcrypt.hashpw(plain.encode(), f"$2b${cost:02d}${text}".encode()).decode()


def _argon2(plain: str, salt: _Salt, cost: int) -> str:
    from argon2.low_level import Type, hash_secret

    made = hash_secret(plain.encode(), salt.octets, time_cost=cost, memory_cost=65_536, parallelism=4, hash_len=32, type=Type.ID)
    return made.decode()


def _pbkdf2(plain: str, salt: bytes, cost: int) -> bytes:
    return hashlib.pbkdf2_hmac("sha256", plain.encode(), salt, cost)


def _scrypt(plain: str, salt: bytes, cost: int, parallel: int) -> bytes:
    return hashlib.scrypt(plain.encode(), salt=salt, n=1 << cost, r=8, p=parallel, dklen=64, maxmem=1 << 28)


def _salted(form: str, letters: int, digest: Callable[[str, bytes, int], bytes], spell: Callable[[bytes], str]) -> _Make:
    """A form whose salt is a text; of scrypt the size is a power of two."""

    def make(plain: str, salt: _Salt, cost: int) -> str:
        text = salt.letters(letters)
        return form.format(cost=cost, size=1 << min(cost, 62), salt=text, digest=spell(digest(plain, text.encode(), cost)))

    return make


_PBKDF2_DJANGO = _salted("pbkdf2_sha256${cost}${salt}${digest}", 22, _pbkdf2, _base64)
_PBKDF2_WERKZEUG = _salted("pbkdf2:sha256:{cost}${salt}${digest}", 16, _pbkdf2, bytes.hex)
_SCRYPT_DJANGO = _salted("scrypt${size}${salt}$8$5${digest}", 22, partial(_scrypt, parallel=5), _base64)
_SCRYPT_WERKZEUG = _salted("scrypt:{size}:8:1${salt}${digest}", 16, partial(_scrypt, parallel=1), bytes.hex)


def _pbkdf2_phc(plain: str, salt: _Salt, cost: int) -> str:
    said = [_base64(octets).rstrip("=").replace("+", ".") for octets in (salt.octets, _pbkdf2(plain, salt.octets, cost))]
    return f"$pbkdf2-sha256${cost}${'$'.join(said)}"


def _pbkdf2_aspnet(plain: str, salt: _Salt, cost: int) -> str:
    """Version 3: a mark, the digest (2: SHA-512), the rounds, the length of the salt, the salt, 32 bytes."""
    head = b"\x01" + b"".join(number.to_bytes(4, "big") for number in (2, cost, 16))
    made = hashlib.pbkdf2_hmac("sha512", plain.encode(), salt.octets, cost, 32)
    return _base64(head + salt.octets + made)


@dataclass(frozen=True, slots=True)
class _Hash:
    """A way of keeping a password: the usual cost and those that are allowed, how many characters it takes, and about how many
    milliseconds."""

    make: _Make
    usual: int
    costs: tuple[int, int]
    length: Callable[[int], int]
    takes: Callable[[int], float]


def _fixed(length: int) -> Callable[[int], int]:
    return lambda cost: length


def _with_cost(length: int) -> Callable[[int], int]:
    return lambda cost: length + len(str(cost))


def _digest(name: str) -> _Hash:
    return _Hash(lambda plain, salt, cost: hashlib.new(name, plain.encode()).hexdigest(), 1, (1, 1),
                 _fixed(2 * hashlib.new(name).digest_size), _alone)  # fmt: skip


def _alone(cost: int) -> float:
    """Without a salt there is one text."""
    return _BUDGET


def _rounds(cost: int) -> float:
    return cost / 2_400


def _doubled(cost: int) -> float:
    return 2.0**cost / 500


def _passes(cost: int) -> float:
    return 25.0 * cost


_BUDGET = 300.0  # milliseconds for the hashes of one field
_MOST = 12  # of them
_ROUNDS = (1, 10_000_000)
_HASHES = {
    ("bcrypt", "phc"): _Hash(_bcrypt, 8, (4, 31), _fixed(60), lambda cost: 2.0**cost / 16),
    ("bcrypt", "django"): _Hash(lambda *given: f"bcrypt${_bcrypt(*given)}", 8, (4, 31), _fixed(67), lambda cost: 2.0**cost / 16),
    ("argon2", "phc"): _Hash(_argon2, 3, (1, 100), _with_cost(96), _passes),
    ("argon2", "django"): _Hash(lambda *given: f"argon2{_argon2(*given)}", 2, (1, 100), _with_cost(102), _passes),
    ("pbkdf2", "django"): _Hash(_PBKDF2_DJANGO, 600_000, _ROUNDS, _with_cost(82), _rounds),
    ("pbkdf2", "werkzeug"): _Hash(_PBKDF2_WERKZEUG, 600_000, _ROUNDS, _with_cost(96), _rounds),
    ("pbkdf2", "phc"): _Hash(_pbkdf2_phc, 29_000, _ROUNDS, _with_cost(82), _rounds),
    ("pbkdf2", "aspnet"): _Hash(_pbkdf2_aspnet, 100_000, _ROUNDS, _fixed(84), _rounds),
    ("scrypt", "werkzeug"): _Hash(_SCRYPT_WERKZEUG, 15, (1, 18), lambda cost: 157 + len(str(1 << cost)), _doubled),
    ("scrypt", "django"): _Hash(_SCRYPT_DJANGO, 14, (1, 18), lambda cost: 123 + len(str(1 << cost)), _doubled),
    **{(name, "hex"): _digest(name) for name in ("md5", "sha1", "sha256", "sha512")},
    ("none", "clear"): _Hash(lambda plain, salt, cost: plain, 1, (1, 1), _fixed(0), _alone),
}  # fmt: skip
_BY_LENGTH = {32: "md5", 40: "sha1", 64: "sha256", 128: "sha512"}
_KEPT = re.compile(
    r"\$(2[abxy]|argon2(i|d|id)|pbkdf2(-[a-z0-9]+)?|scrypt|5|6|y|1)\$.+|(bcrypt(_sha256)?|argon2|pbkdf2_sha\d+|scrypt|sha1|md5)\$.+"
    r"|(pbkdf2|scrypt):.+\$.+\$.+|[0-9a-fA-F]{32}|[0-9a-fA-F]{40}|[0-9a-fA-F]{64}|[0-9a-fA-F]{128}|AQAAAA[A-Za-z0-9+/]{70,}=*"
)


def is_kept(text: str) -> bool:
    """Whether a text has the form of a password as it is stored."""
    return _KEPT.fullmatch(text) is not None


@lru_cache(maxsize=1_024)
def kept(plain: str, way: tuple[str, str], cost: int, seed: int, number: int = 0) -> str:
    """A password as it is stored; the same for the same seed and number of a salt."""
    told = "\x1f".join((plain, *way, str(cost), str(seed), str(number)))
    return _HASHES[way].make(plain, _Salt(hashlib.blake2b(told.encode(), digest_size=16).digest()), cost)


def _cost(request: Request, way: tuple[str, str]) -> int:
    known = _HASHES[way]
    said = request.parameters.get("cost")
    if said is None:
        return known.usual
    least, most = known.costs
    if not said.isdecimal() or not least <= int(said) <= most:
        raise KindError(f"the cost of {way[0]} is a whole number from {least} to {most:,}, not '{said}'")
    return int(said)


def _way(request: Request, plain: str) -> tuple[str, str]:
    """Which hash in which form: what is said, or else what the column has room for."""
    name, form = request.parameters.get("hash"), request.parameters.get("form")
    if name is None:
        digest = _BY_LENGTH.get(request.room or 0) if request.type.name is TypeName.CHAR else None
        name = digest or ("bcrypt" if request.fits(60) else "none")
    forms = [one for known, one in _HASHES if known == name]
    if not forms:
        raise KindError(f"no hash is called '{name}': there are {', '.join(dict.fromkeys(known for known, _ in _HASHES))}")
    if form is not None and form not in forms:
        raise KindError(f"{name} has no form '{form}': there is {', '.join(forms)}")
    return name, form or forms[0]


@dataclass(frozen=True, slots=True)
class Password:
    """What a field's password is, and how it is kept."""

    plain: str
    way: tuple[str, str]
    cost: int
    seed: int

    @property
    def salts(self) -> int:
        """How many hashes of it there are."""
        return max(1, min(_MOST, int(_BUDGET / _HASHES[self.way].takes(self.cost))))

    def stored(self, plain: str | None = None, number: int = 0) -> str:
        return kept(self.plain if plain is None else plain, self.way, self.cost, self.seed, number)


def password_of(request: Request) -> Password:
    """KindError where there is no room for it."""
    plain = request.parameters.get("plain") or request.password or known_password(request.seed)
    way = _way(request, plain)
    cost = _cost(request, way)
    length = _HASHES[way].length(cost) or len(plain)
    if not request.fits(length):
        raise KindError(f"{'the password' if way[0] == 'none' else f'a hash of {way[0]}'} takes {length} characters")
    if way[0] == "bcrypt" and len(plain.encode()) > 72:
        raise KindError("bcrypt takes 72 bytes of a password at most")
    return Password(plain, way, cost, request.seed)


def password_in(field: Field, seed: int, plain: str = "") -> Password | None:
    """What a field's password is, where it is said or guessed to hold one; `plain`: what passwords are in its world. None also
    where it cannot be kept, which is told of where the field is planned."""
    source = field.source
    if not isinstance(source, KindSource) or source.kind != "password":
        return None
    never = datetime.min  # no password depends on the window
    request = Request(
        type=field.type, rows=1, window=(never, never), room=field.room, least=field.limits.min_length or 0,
        parameters=dict(source.parameters), seed=seed, password=plain,
    )  # fmt: skip
    try:
        return password_of(request)
    except KindError:
        return None


@declare(
    "password",
    "One known password, as it is stored: `plain`, `hash` (bcrypt, argon2, pbkdf2, scrypt, md5 …, none), `form`, `cost`.",
    standard="HTML autofill (current-password)",
    parameters=("plain", "hash", "form", "cost"),
)
def password(request: Request) -> Values:
    known = password_of(request)

    def decode(positions: Words) -> Any:
        pool = text_pool(known.stored(number=number) for number in range(known.salts))
        return picked(pool, (positions % np.uint64(known.salts)).astype(np.int64))

    return Values(space=known.salts, decode=decode)
