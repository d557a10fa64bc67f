"""Kinds that belong to the person, the place or the file of their row: which of several is meant."""

from __future__ import annotations

import re

from ..model import Field
from ..model.types import TEXTS
from ..values import get_kind
from .around import Around, Guessed, default_of, is_keyed
from .concepts import matching
from .naming import singular
from .nouns import what_is
from .offers import by_pattern, by_words, fits, of_named_kind
from .second_persons import PARTS, RECIPIENT, is_alone, whose

_OF_FIRMS = tuple(
    "subdomain/billing email/vat number/seats/tax number/billing address/company size/contact/contact name/contact person/sector/"
    "industry/credit limit/payment terms/payment days/website".split("/")
)
_TENANTS = frozenset("account tenant workspace customer client subscriber label partner distributor buyer purchaser".split())


def pays_as_firm(around: Around) -> bool:
    """Whether a customer is an organisation: it has somebody to speak to, a trade, terms of payment."""
    return (
        around.head in _TENANTS and around.has(*_OF_FIRMS) and not around.has("first name", "last name", "password", "birth date")
    )


_DAY = "202[3-5](0[1-9]|1[0-2])(0[1-9]|1[0-9]|2[0-8])"
_FILE_NAMES = ("file name", "filename", "original name", "original filename", "file", "attachment name", "document name")
_FILES = frozenset("attachment file upload document image photo media medium asset download video audio recording".split())
_OF_A_SERVER = (
    ("file", "url"),
    ("download", "url"),
    ("attachment", "url"),
    ("document", "url"),
    ("file", "uri"),
    ("file", "link"),
)
_OF_KEPT = ("mime type", "content type", "extension", "file type", "format", "file extension", "file path", "path", "storage key")
# what a machine writes is called by it: the nouns of entities whose files are heard or seen, and their names
_RECORDED = (
    (
        frozenset("recording audio voicemail soundfile".split()),
        f"(rec|unit|mic)_{_DAY}_([01][0-9]|2[0-3])[0-5][0-9]([0-5][0-9])?\\.wav",
    ),
    (frozenset("video footage".split()), f"(clip|vid|cam)_{_DAY}_[0-9]{{3,4}}\\.mp4"),
    (frozenset("photo photograph image picture snapshot".split()), "(IMG|DSC|photo)_[0-9]{4,5}\\.(jpg|png)"),
)


def of_kind(around: Around, field: Field, name: str, parameters: dict[str, str], reason: str, sure: float) -> Guessed | None:
    if name == "country-name" and field.room in (2, 3):
        name = "iso-3166-country" if field.room == 2 else "iso-3166-country-3"
    kind = get_kind(name)
    if not kind.fills(field.type.name) or not fits(name, field):
        return None
    if name == "file-name" and not around.has(*_OF_KEPT):
        pattern = next((form for nouns, form in _RECORDED if not nouns.isdisjoint(around.noun)), None)
        told = None if pattern is None else by_pattern(field, pattern, f"{reason}, of a {around.head}", sure)
        if told is not None:
            return told
    if name == "name" and around.words[field.name] == ("name",):
        if pays_as_firm(around):
            return of_named_kind("organization", f"{reason}, of who pays", sure)
        first, last = around.has("first name", "given name"), around.has("last name", "surname", "family name")
        for found, beside, called in ((first, "first name", "family-name"), (last, "last name", "given-name")):
            if found and not (first and last):
                return of_named_kind(called, f"{reason}, beside a {beside}", sure)
    if name == "file-path" and parameters.get("of") == "files" and around.has(*_FILE_NAMES) and fits("kept-file", field):
        name, kind, parameters = "kept-file", get_kind("kept-file"), {}  # of the file that the row names
    own = around.words[field.name]
    on_server = own in _OF_A_SERVER or (own == ("url",) and around.head in _FILES)
    if name == "uri" and on_server and around.has(*_FILE_NAMES) and fits("kept-file", field):
        name, kind, parameters = "kept-file", get_kind("kept-file"), {"on": "server"}
    free = name in PARTS and "row" not in parameters and not is_keyed(around.entity, field)
    if free and (label := whose(around, field)) and (name != "name" or label == RECIPIENT or not is_alone(around, field)):
        parameters = {**parameters, "row": label}
    if name in ("name", "other-person") and "row" not in parameters and (gender := _gender_of(around.words[field.name])):
        return of_named_kind("other-person", f"{reason}, of a {'woman' if gender == 'female' else 'man'}", sure, gender=gender)
    if name == "name" and "row" not in parameters and is_of_another(around, field):
        return of_named_kind("other-person", f"{reason}; another than {_row_person(around)}", sure)
    if name == "iso-4217-currency" and re.fullmatch("[A-Z]{3}", default_of(field) or ""):
        others = {"en": (("EUR", 8.0), ("USD", 7.0), ("GBP", 5.0)), "es": (("USD", 6.0),)}.get(
            around.vocabulary.language, (("CHF", 6.0),)
        )
        return by_words(field, ((default_of(field) or "", 80.0), *others), reason, sure)
    plain = name == "postal-code" and field.room == 5 and "zip" in field.name.lower() and around.world.language != "en-US"
    if plain and not around.has("country", "country code"):
        return by_pattern(field, "[1-9][0-9]{4}", f"{reason}, of five digits", sure)
    if name == "moment" and field.name.lower() in around.tied - around.ordered:
        return of_named_kind("date-time", f"{reason}; other rules speak of it", sure)
    if kind.row == "place":
        parameters = {"row": _which_place(around, field), **parameters}
        if around.has("country", "country code", "country name", "nationality", "currency code", "country iso") or name in (
            "country-name",
            "iso-3166-country",
            "iso-3166-country-3",
        ):
            parameters["country"] = "mixed"
        if name == "tel" and (line := _line_of(around.words[field.name])):
            parameters = {"line": line, **parameters}
    elif kind.row == "file":
        parameters = {**_which_file(around, field), **parameters}
    if name == "street-address" and around.has("house number", "building number", "street number"):
        parameters["number"] = "none"
        if name == "time-zone" and not around.has("city", "town", "country"):
            parameters["country"] = "mixed"
    if name == "bcp-47-language" and not around.has("country", "country code"):
        return tag_of_language(around, field, reason, sure)
    return of_named_kind(name, reason, sure, **{key: value for key, value in parameters.items() if key in kind.parameters})


_WOMEN = frozenset(
    "mother godmother stepmother grandmother bride wife widow daughter sister aunt queen abbess nun midwife".split()
)
_MEN = frozenset(
    "father godfather stepfather grandfather groom bridegroom husband widower son brother uncle king abbot monk".split()
)


def _gender_of(words: tuple[str, ...]) -> str | None:
    """What the last noun of a name says of somebody's gender: the groom's mother is a woman."""
    last = next((word for word in reversed(words) if word in _WOMEN or word in _MEN), None)
    return None if last is None else "female" if last in _WOMEN else "male"


def is_of_another(around: Around, field: Field) -> bool:
    """Whether a full name is of somebody else than the row's person: a judge is not the clerk of the same hearing."""
    first = _row_person(around)
    words = around.words[field.name]
    told_again = len(words) > 1 and words[-1] == "name" and set(words[:-1]) <= _SAID_OTHERWISE
    return first is not None and first != field.name and words not in _SAME_PERSON and not told_again


_SAME_PERSON = {
    tuple(name.split("-"))
    for name in "name full-name display-name real-name legal-name complete-name card-holder account-holder holder-name".split()
}


# what is said of how a name is written, not of whose it is: `order_name`, `direct_address_name`, `badge_name`
_SAID_OTHERWISE = frozenset(
    "order sort sorting sorted direct address display displayed print printed preferred badge public legal official formal "
    "informal short long latin native local filing index indexed searchable visible".split()
)


def _row_person(around: Around) -> str | None:
    """The field that names the person whom the row is about: the first full name, or a given or a family name."""
    for field in around.entity.fields:
        words = around.words[field.name]
        if field.type.name not in TEXTS or not words:
            continue
        found = next((one for one in matching(words) if field.type.name in one.concept.types), None)
        if (
            found is not None
            and found.concept.what in ("kind", "fullnamed")
            and found.concept.arguments in ("given-name", "family-name", "name", "")
        ):
            return field.name
        if found is not None and found.concept.what == "named":
            owner = singular(words[-2]) if len(words) > 1 else around.head
            if what_is(owner) == "person" and not (len(words) == 1 and pays_as_firm(around)):
                return field.name
        if found is None and what_is(singular(words[-1])) == "person":
            return field.name
    return None


_TAGS = {
    "en": "en-GB:46 en-US:16 de-DE:14 fr-FR:10 es-ES:8 it-IT:6",
    "de": "de-DE:70 de-AT:10 en-GB:14 fr-FR:6",
    "fr": "fr-FR:74 fr-BE:8 en-GB:12 de-DE:6",
    "es": "es-ES:76 en-GB:14 fr-FR:10",
}


# where a language tells rows apart
_MANY_TAGS = (
    "en-GB:9 de-DE:8 fr-FR:8 es-ES:7 it-IT:6 nl-NL:5 pl-PL:5 pt-PT:4 sv-SE:4 da-DK:4 fi-FI:3 nb-NO:3 cs-CZ:3 sk-SK:3 "
    "hu-HU:3 ro-RO:3 bg-BG:3 el-GR:3 hr-HR:3 sl-SI:3 et-EE:2 lv-LV:2 lt-LT:2 ga-IE:1 mt-MT:1 tr-TR:3 uk-UA:3 ar-EG:3 "
    "he-IL:2 ja-JP:3 ko-KR:3 zh-CN:4 hi-IN:2 vi-VN:2 th-TH:2 id-ID:2 en-US:4 en-AU:2 en-CA:2 en-IE:2 en-NZ:2 en-ZA:2 "
    "en-IN:2 en-SG:1 de-AT:3 de-CH:3 de-LU:1 de-LI:1 fr-BE:2 fr-CH:2 fr-CA:2 fr-LU:1 es-MX:3 es-AR:2 es-CO:2 es-CL:2 "
    "es-PE:1 es-VE:1 es-EC:1 es-UY:1 it-CH:1 nl-BE:2 pt-BR:3 sv-FI:1 nn-NO:1 is-IS:1 fo-FO:1 sq-AL:1 sr-RS:2 bs-BA:1 "
    "mk-MK:1 be-BY:1 ca-ES:2 eu-ES:1 gl-ES:1 cy-GB:1 gd-GB:1 lb-LU:1 zh-TW:2 zh-HK:1 ms-MY:1 fil-PH:1 bn-BD:1 ta-IN:1 "
    "te-IN:1 mr-IN:1 gu-IN:1 ur-PK:1 ne-NP:1 si-LK:1 fa-IR:1 ar-SA:2 ar-AE:1 ar-MA:1 ar-TN:1 ar-JO:1 az-AZ:1 hy-AM:1 "
    "ka-GE:1 kk-KZ:1 uz-UZ:1 mn-MN:1 km-KH:1 lo-LA:1 my-MM:1 sw-KE:1 am-ET:1 af-ZA:1 zu-ZA:1 yo-NG:1"
)


def tag_of_language(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """Mostly the language of the world; without its country where the field is narrow, or its default is so written."""
    default = default_of(field)
    short = (field.room is not None and field.room < 5) or (default is not None and len(default) == 2)
    several = any(field.name in rule.columns for rule in (*around.entity.unique_rules, *around.entity.uniques))
    usual = _MANY_TAGS if several else _TAGS.get(around.vocabulary.language, _TAGS["en"])
    told = [pair.split(":") for pair in usual.split()]
    weights: dict[str, float] = {}
    for tag, weight in told:
        tag = tag[:2] if short else tag.replace("-", "_") if default is not None and "_" in default else tag
        weights[tag] = weights.get(tag, 0.0) + float(weight)
    return by_words(field, tuple(weights.items()), reason, sure)


_MOBILES = frozenset("mobile cell handy sms whatsapp msisdn".split())
_NO_LINES = frozenset("phone telephone number tel primary main customer user contact 1".split())


def _line_of(words: tuple[str, ...]) -> str:
    """What tells a telephone of a row from its others: mobile, fax, work, the guardian's."""
    return "mobile" if _MOBILES & set(words) else "-".join(word for word in words if word not in _NO_LINES)


_SORTS_BY_NOUN = (
    ("audio", frozenset("audio recording voicemail soundfile sound song podcast".split())),
    ("video", frozenset("video footage film movie".split())),
    ("image", frozenset("photo photograph image picture snapshot avatar thumbnail screenshot logo".split())),
)
_PICTURES = frozenset("avatar image photo picture thumbnail thumb header logo cover icon banner portrait photograph".split())


def _which_file(around: Around, field: Field) -> dict[str, str]:
    """Which of the files of a row a name, a type or a size belongs to, and whether that is a picture."""
    own = around.words[field.name][:1]
    pictures = {words[0] for words in around.words.values() if words[-2:] == ("file", "name") and words[0] in _PICTURES}
    if own and own[0] in _PICTURES:
        return {"row": own[0], "sort": "image"}
    if len(pictures) == 1 and not around.has("file name", "filename", "name of file"):
        return {"row": pictures.pop(), "sort": "image"}
    nouns = set(around.noun)
    sort = next((sort for sort, those in _SORTS_BY_NOUN if not those.isdisjoint(nouns)), None)
    return {"row": "file"} | ({} if sort is None else {"sort": sort})


_OTHER_PLACES = (
    "billing",
    "shipping",
    "delivery",
    "invoice",
    "origin",
    "destination",
    "pickup",
    "dropoff",
    "departure",
    "arrival",
    "loading",
    "discharge",
    "death",
    "from",
    "to",
    "birth",
    "home",
    "work",
    "second",
    "alternative",
    "emergency",
    "alt",
    "alternate",
    "other",
    "secondary",
    "mailing",
)


def _which_place(around: Around, field: Field) -> str:
    words = around.words[field.name]
    return next((word for word in words if word in _OTHER_PLACES), "place")
