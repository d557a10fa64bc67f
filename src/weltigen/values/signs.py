"""Kinds that are one of a list, or of a form, which standards and habits give: colours, methods, hashes, days, signs."""

from __future__ import annotations

from datetime import UTC
from typing import Any

import numpy as np
import pyarrow as pa

from ..model.types import INTEGERS, TEXTS, TypeName
from ..randomness import Key, Words
from ..randomness.mixing import mix
from .choosing import pool_of
from .codes import uuid_of
from .pools import fixed_width
from .registry import KindError, Prepared, Request, Values, declare
from .technical import pattern_of

_SHARE = Key(0x3C6EF372FE94F82B, 0xA54FF53A5F1D36F1)
# name: what it is, its standard, the choices apart by commas
_LISTS: dict[str, tuple[str, str | None, str]] = {
    "http-method": ("What a request asks of a server", "RFC 9110", "GET, POST, PUT, PATCH, DELETE, HEAD, OPTIONS"),
    "log-level": ("How grave a line of a log is", "RFC 5424", "debug, info, notice, warning, error, critical, alert, emergency"),
    "charset": ("A set of characters", "IANA character sets", "UTF-8, ISO-8859-1, ISO-8859-15, US-ASCII, UTF-16, windows-1252, UTF-16LE, Shift_JIS, GB18030, Big5, KOI8-R, EUC-JP, EUC-KR"),
    "spdx-license": ("A licence of software", "SPDX 2.3", "MIT, Apache-2.0, BSD-3-Clause, BSD-2-Clause, GPL-3.0-or-later, GPL-2.0-only, LGPL-3.0-or-later, MPL-2.0, ISC, EUPL-1.2, CC-BY-4.0, CC0-1.0, AGPL-3.0-only, Unlicense, Zlib"),
    "programming-language": ("A language that programs are written in", None, "Python, JavaScript, Java, C, C++, C#, Go, Rust, TypeScript, Ruby, PHP, Kotlin, Swift, R, SQL, Scala, Perl, Haskell, Lua, Fortran, COBOL, Julia, Erlang, Elixir"),
    "operating-system": ("What a computer runs", None, "Windows 11, Windows 10, macOS 15, macOS 14, Ubuntu 24.04, Ubuntu 22.04, Debian 12, Fedora 41, Android 15, Android 14, iOS 18, iOS 17, iPadOS 18, FreeBSD 14"),
    "browser": ("What pages are read with", None, "Chrome, Firefox, Safari, Edge, Opera, Brave, Vivaldi"),
    "blood-group": ("A blood group, ABO with Rh", "ISBT 001 and 004", "O+, A+, B+, O-, A-, AB+, B-, AB-"),
    "compass-point": ("One of sixteen directions", None, "N, NNE, NE, ENE, E, ESE, SE, SSE, S, SSW, SW, WSW, W, WNW, NW, NNW"),
    "continent": ("A part of the world", None, "Europe, Asia, Africa, North America, South America, Oceania, Antarctica"),
    "chemical-element": ("The name of an element", "IUPAC", "hydrogen, helium, lithium, beryllium, boron, carbon, nitrogen, oxygen, fluorine, neon, sodium, magnesium, aluminium, silicon, phosphorus, sulfur, chlorine, argon, potassium, calcium, scandium, titanium, vanadium, chromium, manganese, iron, cobalt, nickel, copper, zinc, gallium, germanium, arsenic, selenium, bromine, krypton, silver, cadmium, tin, iodine, barium, tungsten, platinum, gold, mercury, lead, uranium"),
    "element-symbol": ("The symbol of an element", "IUPAC", "H, He, Li, Be, B, C, N, O, F, Ne, Na, Mg, Al, Si, P, S, Cl, Ar, K, Ca, Sc, Ti, V, Cr, Mn, Fe, Co, Ni, Cu, Zn, Ga, Ge, As, Se, Br, Kr, Ag, Cd, Sn, I, Ba, W, Pt, Au, Hg, Pb, U"),
    "si-unit": ("The symbol of a unit of measure", "ISO 80000", "m, kg, s, A, K, mol, cd, Hz, N, Pa, J, W, C, V, F, Ω, S, Wb, T, H, lm, lx, Bq, Gy, Sv, kat, m/s, m², m³, kg/m³"),
    "emoji": ("A small picture among the characters", "Unicode 15", "👍, 🎉, ❤️, 😀, 😂, 🚀, ✅, 🔥, 👀, 🙏, 😍, 🤔, 👏, 💡, ⭐, 🌍, ☕, 🎁, 📌, 😢"),
    "language-name": ("The name of a language", "ISO 639-1", "English, German, French, Spanish, Italian, Dutch, Portuguese, Polish, Swedish, Danish, Norwegian, Finnish, Greek, Czech, Hungarian, Turkish, Arabic, Hindi, Japanese, Chinese, Korean, Russian, Ukrainian, Romanian"),
    "script-code": ("The code of a script", "ISO 15924", "Latn, Cyrl, Grek, Arab, Hebr, Deva, Hans, Hant, Jpan, Kore, Thai, Armn, Geor, Beng, Taml"),
    "hash-algorithm": ("A way of making digests", "FIPS 180-4, FIPS 202", "SHA-256, SHA-512, SHA-1, SHA-384, SHA3-256, MD5, BLAKE2b"),
    "tls-version": ("A version of transport security", "RFC 8446", "TLSv1.3, TLSv1.2, TLSv1.1"),
    "dns-record": ("A type of record of a zone", "RFC 1035", "A, AAAA, CNAME, MX, TXT, NS, SOA, SRV, PTR, CAA"),
    "incoterm": ("A term of delivery", "Incoterms 2020", "EXW, FCA, CPT, CIP, DAP, DPU, DDP, FAS, FOB, CFR, CIF"),
}  # fmt: skip
_IN_LANGUAGES = {
    "month": ("The name of a month", "CLDR", {
        "en": "January, February, March, April, May, June, July, August, September, October, November, December",
        "de": "Januar, Februar, März, April, Mai, Juni, Juli, August, September, Oktober, November, Dezember",
        "fr": "janvier, février, mars, avril, mai, juin, juillet, août, septembre, octobre, novembre, décembre",
        "es": "enero, febrero, marzo, abril, mayo, junio, julio, agosto, septiembre, octubre, noviembre, diciembre"}),
    "weekday": ("The name of a day of the week", "CLDR", {
        "en": "Monday, Tuesday, Wednesday, Thursday, Friday, Saturday, Sunday",
        "de": "Montag, Dienstag, Mittwoch, Donnerstag, Freitag, Samstag, Sonntag",
        "fr": "lundi, mardi, mercredi, jeudi, vendredi, samedi, dimanche",
        "es": "lunes, martes, miércoles, jueves, viernes, sábado, domingo"}),
    "season": ("A season", None, {
        "en": "spring, summer, autumn, winter", "de": "Frühling, Sommer, Herbst, Winter",
        "fr": "printemps, été, automne, hiver", "es": "primavera, verano, otoño, invierno"}),
}  # fmt: skip
# name: what it is, its standard, the form as a regular expression
_FORMS: dict[str, tuple[str, str | None, str]] = {
    "crc-32": ("A check value in hexadecimal", "ISO/IEC/IEEE 8802-3", "[0-9a-f]{8}"),
    "json-web-token": ("A token with a header that says it is signed by nobody", "RFC 7519", "eyJhbGciOiJub25lIn0\\.eyJzdWIiOiJ1(([MN][DTjz]|O[DT])[AEIMQUYcgk][w-z0-5]){3}In0\\."),
    "hex-colour": ("A colour in hexadecimal", "CSS Color 4", "#[0-9a-f]{6}"),
    "rgb-colour": ("A colour by its parts of red, green and blue", "CSS Color 4", "rgb\\(([1-9]?[0-9]|1[0-9][0-9]) ([1-9]?[0-9]|1[0-9][0-9]) ([1-9]?[0-9]|1[0-9][0-9])\\)"),
    "cron": ("When something runs, in five fields", "POSIX crontab", "([1-5]?[0-9]) ([1-9]|1[0-9]|2[0-3]) (\\*|[1-9]|1[0-9]|2[0-8]) \\* (\\*|[0-6])"),
    "iso-week": ("A week of a year", "ISO 8601", "202[45]-W(0[1-9]|[1-4][0-9]|5[0-2])"),
    "quarter": ("A quarter of a year", None, "202[45]-Q[1-4]"),
    "year-month": ("A month of a year", "ISO 8601", "202[45]-(0[1-9]|1[0-2])"),
    "asn": ("The number of a network, of a range for private use", "RFC 6996", "AS(64[6-9][0-9]{2}|65[0-4][0-9]{2})"),
    "doi": ("The identifier of a document, under a prefix for tests", "ISO 26324", "10\\.5555/[a-z0-9]{6,10}"),
    "bic": ("The code of a bank, of no country", "ISO 9362", "[A-Z]{4}ZZ[A-Z2-9][A-NP-Z1-9]([A-Z0-9]{3})?"),
    "sort-code": ("A British bank and branch, below those that are given out", "Pay.UK", "00-[0-9]{2}-[0-9]{2}"),
    "isrc": ("The code of a recording, of no country", "ISO 3901", "ZZ-[A-Z0-9]{3}-2[45]-[0-9]{5}"),
    "mmsi": ("The number of a ship's radio, of no country", "ITU-R M.585", "299[0-9]{6}"),
    "icao-24": ("The address of an aircraft's transponder", "ICAO Annex 10", "f0[0-9a-f]{4}"),
    "flight-number": ("The number of a flight", "IATA Resolution 762", "[A-Z]{2} [1-9][0-9]{2,3}"),
    "un-locode": ("The code of a place of trade, of no country", "UN/LOCODE", "ZZ [A-Z]{3}"),
    "geohash": ("A place as a short text", None, "[ug][0-9b-hjkmnp-z]{6}"),
    "icd-10": ("The code of a disease", "ICD-10", "[A-TV-Z][0-9]{2}\\.[0-9]"),
    "atc-code": ("The code of a medicine by its use", "WHO ATC", "[ABCDGHJLMNPRSV](0[1-9]|1[0-6])[A-D][A-X](0[1-9]|[1-5][0-9])"),
    "us-ssn": ("An American social security number, of an area that is not given out", "SSA", "666-(0[1-9]|[1-9][0-9])-[1-9][0-9]{3}"),
    "us-ein": ("An American employer's number, of a prefix that is not given out", "IRS", "00-[0-9]{7}"),
    "duns": ("A number of a firm", "D-U-N-S", "00[0-9]{7}"),
    "company-number": ("The number of a British company, above those that are given out", "Companies House", "99[0-9]{6}"),
    "phone-extension": ("A number within a house", None, "[1-9][0-9]{2,3}"),
    "room-number": ("The number of a room, by its floor", None, "[A-D][0-4]\\.[0-2][0-9]"),
    "seat": ("A row and a seat in it", None, "[A-Z]([1-9]|[1-3][0-9])"),
    "shelf-mark": ("Where something lies: aisle, bay, level", None, "[A-H]-(0[1-9]|[12][0-9])-[1-6]"),
    "tracking-number": ("The number of a parcel, of a service that does not exist", "UPU S10", "ZZ[0-9]{9}ZZ"),
    "pin": ("A short secret of digits", None, "[0-9]{4}"),
    "one-time-code": ("A code of six digits that is good once", "RFC 6238", "[0-9]{6}"),
}  # fmt: skip

# name: what it is, its standard, the letters (a power of two of them), and the form: `*` is any of them
_HEX, _SIXTY_FOUR = "0123456789abcdef", "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789"
_RANDOM: dict[str, tuple[str, str | None, str, str]] = {
    "md5": ("A digest in hexadecimal, of 128 bits", "RFC 1321", _HEX, "*" * 32),
    "sha-1": ("A digest in hexadecimal, of 160 bits", "FIPS 180-4", _HEX, "*" * 40),
    "sha-512": ("A digest in hexadecimal, of 512 bits", "FIPS 180-4", _HEX, "*" * 128),
    "base64": ("Random bytes in base 64", "RFC 4648", _SIXTY_FOUR + "+/", "*" * 24),
    "nanoid": ("A random identifier for addresses", None, _SIXTY_FOUR + "_-", "*" * 21),
    "etag": ("What tells versions of a page apart", "RFC 9110", _HEX, f'"{"*" * 16}"'),
    "urn-uuid": ("A random identifier as a name", "RFC 9562", _HEX, "urn:uuid:********-****-4***-8***-************"),
    "licence-key": ("A key that opens a program", None, "ABCDEFGHJKLMNPQRSTUVWXYZ23456789", "*****-*****-*****-*****-*****"),
}


def _one_of(name: str, summary: str, standard: str | None, choices: dict[str, str]) -> None:
    @declare(name, f"{summary}.", standard=standard)
    def prepare(request: Request) -> Prepared:
        return pool_of(choices.get(request.language, choices["en"]).split(", "), request, name.replace("-", " "))


def _of_a_form(name: str, summary: str, standard: str | None, form: str) -> None:
    @declare(name, f"{summary}.", standard=standard)
    def prepare(request: Request) -> Prepared:
        return pattern_of(form, request, name.replace("-", " "))


def _at_random(name: str, summary: str, standard: str | None, letters: str, form: str) -> None:
    free = [at for at, mark in enumerate(form) if mark == "*"]
    written, marks = np.frombuffer(letters.encode(), np.uint8), np.frombuffer(form.encode(), np.uint8)
    bits = np.uint64(len(letters).bit_length() - 1)
    each = -(-64 // int(bits))  # so that the first of them hold a whole word, and no two words give the same

    def decode(positions: Words) -> Any:
        words, made = mix(_SHARE, positions), np.tile(marks, (len(positions), 1))
        for number, at in enumerate(free):
            if number and number % each == 0:
                words = mix(_SHARE, words)
            shifted = words >> np.uint64(int(bits) * (number % each))
            made[:, at] = written[(shifted & np.uint64(len(letters) - 1)).astype(np.int64)]
        return fixed_width(made)

    @declare(name, f"{summary}.", standard=standard)
    def prepare(request: Request) -> Prepared:
        if not request.fits(len(form)):
            raise KindError(f"a value of {name} takes {len(form)} characters, more or fewer than the field allows")
        return Values(space=1 << 62, decode=decode)


for _name, (_summary, _standard, _choices) in _LISTS.items():
    _one_of(_name, _summary, _standard, {"en": _choices})
for _name, (_summary, _standard, _spoken) in _IN_LANGUAGES.items():
    _one_of(_name, _summary, _standard, _spoken)
for _name, (_summary, _standard, _form) in _FORMS.items():
    _of_a_form(_name, _summary, _standard, _form)
for _name, (_summary, _standard, _letters, _form) in _RANDOM.items():
    _at_random(_name, _summary, _standard, _letters, _form)


def _whole(request: Request, numbers: list[int], what: str) -> Values:
    """Some whole numbers, as numbers or as texts."""
    if request.type.name in TEXTS:
        return pool_of(map(str, numbers), request, what)
    kept = [n for n in numbers if (request.low is None or n >= request.low) and (request.high is None or n <= request.high)]
    if not kept:
        raise KindError(f"no {what} lies within its limits")
    pool = pa.array(kept, request.type.arrow())
    return Values(space=len(kept), decode=lambda positions: pool.take(pa.array(positions)))


_STATUS = [200, 201, 202, 204, 301, 302, 304, 307, 400, 401, 403, 404, 405, 409, 410, 415, 422, 429, 500, 502, 503, 504]


@declare("http-status", "What a server answered.", suits=TEXTS | INTEGERS, standard="RFC 9110")
def http_status(request: Request) -> Prepared:
    return _whole(request, _STATUS, "status")


@declare(
    "port",
    "The number of a service, or of a connection to one.",
    suits=TEXTS | (INTEGERS - {TypeName.SMALLINT}),
    standard="RFC 6335",
)
def port(request: Request) -> Prepared:
    return _whole(request, [*range(1024, 49152)], "port")


_EPOCH_MS = 1000


def _window_ms(request: Request) -> tuple[int, int]:
    start, end = (int(moment.replace(tzinfo=moment.tzinfo or UTC).timestamp() * _EPOCH_MS) for moment in request.window)
    return start, end - start


def _timed(request: Request, positions: Words) -> tuple[Any, Any, Any]:
    """Milliseconds within the window, twelve bits that rise within one, and 64 random ones."""
    start, _ = _window_ms(request)
    return np.uint64(start) + (positions >> np.uint64(12)), positions & np.uint64(0xFFF), mix(_SHARE, positions)


@declare(
    "uuid-7", "An identifier of 128 bits that rises with time.", suits=TEXTS | {TypeName.UUID}, standard="RFC 9562, version 7"
)
def uuid_7(request: Request) -> Prepared:
    if not request.fits(36):
        raise KindError("a UUID takes 36 characters")

    def decode(positions: Words) -> Any:
        moment, part, random = _timed(request, positions)
        high = (moment << np.uint64(16)) | np.uint64(0x7000) | part
        low = (random >> np.uint64(2)) | np.uint64(1 << 63)
        return uuid_of(high, low)

    return Values(space=_window_ms(request)[1] << 12, decode=decode, rising=True)


_CROCKFORD = np.frombuffer(b"0123456789ABCDEFGHJKMNPQRSTVWXYZ", np.uint8)


@declare("ulid", "An identifier of 26 characters that rises with time.", standard="ULID")
def ulid(request: Request) -> Prepared:
    if not request.fits(26):
        raise KindError("a ULID takes 26 characters")

    def decode(positions: Words) -> Any:
        moment, part, random = _timed(request, positions)
        fives = [(moment >> np.uint64(5 * at)) & np.uint64(31) for at in range(9, -1, -1)]
        fives += [
            part >> np.uint64(7),
            (part >> np.uint64(2)) & np.uint64(31),
            ((part & np.uint64(3)) << np.uint64(3)) | (random >> np.uint64(61)),
        ]
        fives += [(random >> np.uint64(5 * at)) & np.uint64(31) for at in range(11, -1, -1)]
        fives.append(mix(_SHARE, random) & np.uint64(31))
        return fixed_width(_CROCKFORD[np.stack(fives, axis=1).astype(np.int64)])

    return Values(space=_window_ms(request)[1] << 12, decode=decode, rising=True, distinct_folded=True)
