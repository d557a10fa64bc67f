"""Guesses that depend on the entity, its topic, or what stands beside the field."""

from __future__ import annotations

from collections.abc import Callable

from ..model import (
    Field,
    FieldType,
    TypeName,
)
from ..model.types import TEXTS
from ..values.vocabulary import NEUTRAL
from .around import Around, Guessed, default_of, field_beside, is_keyed
from .called import displayed, fullnamed, functioned, named, prefixed, titled
from .codes import code_pattern
from .nouns import ANIMALS, PERSONS, SYSTEMS, what_is
from .of_row import of_kind, tag_of_language
from .offers import by_number, by_pattern, by_words, has_room, of_named_kind, read_pairs
from .states import status_weights

_TITLES = ("name", "title", "label", "headline", "subject")


def below_ten(kind: FieldType) -> bool:
    """Whether a decimal has at most one digit before its point: a share then, and no percentage."""
    return kind.precision is not None and kind.precision - (kind.scale or 0) <= 1


def _status(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    own = around.topic
    if around.words[field.name][-1:] == ("state",) and around.has("city", "postcode", "zip", "postal code", "street", "town"):
        return of_kind(around, field, "region", {}, f"{reason}, beside a place", sure)
    states = status_weights(around.noun, own.name, around.words, around.vocabulary.language, default_of(field))
    return by_words(field, states, reason, sure)


def _kindof(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    own = around.topic
    default = default_of(field)
    if around.head in _REACHED_AT and default is None:
        return by_words(field, _REACHED_AT[around.head], f"{reason}, of a {around.head}", sure)
    listed = own.words("kinds")
    if default and field.type.name in TEXTS and default not in listed:
        return None  # words of the trade would not go with it
    fitting = [one for one in listed if has_room(field, len(one))]
    return (
        by_words(field, tuple((one, float(max(2, 20 - 4 * at))) for at, one in enumerate(fitting)), reason, sure)
        if fitting
        else None
    )


_AT = read_pairs("home:44, work:40, other:16")
_REACHED_AT = {
    "tel": read_pairs("mobile:44, home:26, work:24, fax:6"), "phone": read_pairs("mobile:44, home:26, work:24, fax:6"),
    "adr": _AT, "email": _AT, "mail": _AT, "address": read_pairs("home:40, work:26, billing:20, delivery:14"),
}  # fmt: skip


def _unit(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    own = around.topic
    listed = tuple(one for one in own.words("units") if has_room(field, len(one)))
    return (
        by_words(field, tuple((one, float(max(1, 9 - 3 * at))) for at, one in enumerate(listed)), reason, sure)
        if listed
        else None
    )


def _taxrate(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    narrow = below_ten(field.type)
    amount = around.has("net", "subtotal", "net amount", "net total", "total net", "net price") and around.has(
        "gross", "total", "gross amount", "grand total"
    )
    wide = field.type.precision is None or field.type.precision - (field.type.scale or 0) > 3
    if amount and wide and around.words[field.name] in (("vat",), ("tax",), ("sales", "tax")):
        return None  # an amount, which makes the net one the gross one
    return by_words(
        field,
        tuple(
            (f"0.{rate.zfill(4).replace('.', '')[:4].rstrip('0') or '0'}" if narrow else rate, weight)
            for rate, weight in _RATES.get(around.vocabulary.language, _RATES["en"])
        ),
        reason,
        sure,
    )


def _price(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    own = around.topic
    whole = (field.type.precision or 0) - (field.type.scale or 0)
    by_unit = own.within("energy", "telephony", "waterworks", "fuel", "hosting") or whole <= 4
    if (field.type.scale or 0) > 3 and field.type.name is TypeName.NUMERIC and by_unit:
        return by_number(field, "0.04 2.4 tail", reason, sure)
    return by_number(field, own.words("price")[0], reason, sure)


def _sex(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    own = around.topic
    short = field.room is not None and field.room < 6
    letters = {"fr": "F:49 M:49", "es": "F:49 M:49", "de": "w:49 m:48 d:3"}.get(around.vocabulary.language, "F:50 M:49")
    words = {"de": "weiblich:49 männlich:48 divers:3", "fr": "femme:50 homme:50", "es": "mujer:50 hombre:50"}
    told = letters if short else words.get(around.vocabulary.language, "female:49 male:48 diverse:3")
    if around.has("first name", "given name", "full name") and around.head not in ANIMALS:
        return of_named_kind("gender", reason, sure, **({"form": "letter"} if short else {}))
    if own.within("animals", "veterinary") and not short:
        told = "female:50 male:50"
    return by_words(field, tuple((v, float(w)) for v, w in (pair.split(":") for pair in told.split())), reason, sure)


def _weight(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    human = (
        around.head in PERSONS
        or ("last", "name") in around.words.values()
        or around.has("blood type", "height cm", "height centimetres", "bmi", "body mass index")
    )
    return by_number(field, "48 104 hump" if human and around.head not in ANIMALS else "0.4 85 tail", reason, sure)


def _salutation(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    if around.has("first name", "given name", "full name", "last name"):
        return of_named_kind("salutation", reason, sure)
    told = {"de": "Frau:49 Herr:49 Divers:2", "fr": "Mme:50 M.:50", "es": "Sra.:50 Sr.:50"}.get(
        around.vocabulary.language, "Ms:48 Mr:48 Dr:4"
    )
    return by_words(field, tuple((v, float(w)) for v, w in (pair.split(":") for pair in told.split())), reason, sure)


def _birth(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    own = around.topic
    young = around.head in ANIMALS or (
        own.within("animals", "veterinary") and around.head not in PERSONS and not around.has("last name", "first name")
    )
    ages = (
        {"youngest": "0", "oldest": "14"}
        if young
        else {"youngest": "18", "oldest": "30"}
        if around.head in ("student", "pupil")
        else {"youngest": "0", "oldest": "6" if own.within("childcare") or "nursery" in around.noun else "16"}
        if around.head in ("child", "baby", "infant", "kid", "toddler")
        else {}
    )
    return of_named_kind("bday", reason, sure, **ages)


def _language(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    own = around.topic
    if own.within("software", "jobs"):
        return by_words(field, read_pairs("Python:24, TypeScript:20, Java:16, Go:14, C#:10, Rust:6, PHP:6, Ruby:4"), reason, sure)
    if own.within("library", "courses", "academia", "art", "files") and has_room(field, 10) and field.room is not None:
        return by_words(
            field, read_pairs("English:50, German:14, French:12, Spanish:11, Italian:5, Dutch:4, Polish:4"), reason, sure
        )
    return tag_of_language(around, field, reason, sure)


def _model(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    own = around.topic
    if own.within("vehicles") and has_room(field, 10):
        return of_named_kind("thing-name", reason, sure)
    return by_pattern(field, code_pattern("model", (), around.noun, field.room), reason, sure)


def _method(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    own = around.topic
    if own.within("network", "web", "software", "accounts") or around.has("status code", "url", "path", "user agent"):
        return by_words(field, read_pairs("GET:64, POST:24, PUT:6, DELETE:4, PATCH:2"), reason, sure)
    return of_named_kind("term", reason, sure, list="methods")


def _path(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    own = around.topic
    web = (
        own.within("web")
        or around.has("method", "status code", "user agent", "referer", "http status")
        or around.head in ("page", "route", "menu")
    )
    of = "source" if own.within("software", "releases") else "files"
    return of_kind(around, field, "url-path" if web else "file-path", {} if web else {"of": of}, reason, sure)


def _percent(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    narrow = below_ten(field.type)
    return by_number(field, "0 1 hump" if narrow else "0 100 hump", reason, sure)


_COLD = ("fish", "insects")
_WARM = ("medicine", "veterinary", "animals", "laboratory", "network", "machines", "energy")


def _temperature(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    own = around.topic
    if around.has(
        "medication",
        "medication given",
        "nap minutes",
        "pulse",
        "heart rate",
        "respiration",
        "respiratory rate",
        "oxygen saturation",
        "blood pressure",
    ):
        return by_number(field, "36 39.5 hump", f"{reason}, of a body", sure)
    if {"furnace", "kiln", "forge", "crucible", "smelter", "foundry"} & set(around.noun):
        return by_number(field, "420 1280 hump", f"{reason}, of a {around.head}", sure)
    if {"oven", "boiler", "heater", "sauna", "autoclave"} & set(around.noun):
        return by_number(field, "60 240 hump", f"{reason}, of a {around.head}", sure)
    if own.name in _COLD:
        return by_number(field, "2 18 hump", reason, sure)
    usual = {
        "medicine": "36 39.5 hump",
        "veterinary": "37.4 40.2 hump",
        "animals": "37.4 40.2 hump",
        "laboratory": "2 38 hump",
        "network": "22 68 hump",
        "machines": "18 85 hump",
        "energy": "5 75 hump",
    }.get(next((name for name in _WARM if own.within(name)), own.name), "-6 32 hump")
    return by_number(field, usual, reason, sure)


def _rank(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    return by_number(field, "1 20 tail", reason, sure)


def _eventtype(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    return of_named_kind("term", reason, sure, list="events") if has_room(field, 14) else None


def _othertable(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    others = [other.name.rpartition(".")[2] for other in around.world.entities if other.name != around.entity.name][:6]
    return by_words(field, tuple((name, 1.0) for name in others if has_room(field, len(name))), reason, sure) if others else None


def _tagwords(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    if is_keyed(around.entity, field):
        return by_pattern(field, "[A-Z]{2}-[0-9]{3}", f"{reason}, which differs in each row", sure)
    return of_named_kind("term", reason, sure, list="tags") if has_room(field, 8) else None


def _abbreviated(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    beside = field_beside(around, field, _TITLES)
    if beside is not None and not is_keyed(around.entity, field):
        return of_named_kind("abbreviation", f"{reason}, beside {beside}", sure, of=beside)
    return by_pattern(field, "[A-Z]{3}" if field.room is None or field.room >= 3 else "[A-Z]{2}", reason, sure)


def _slugged(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    beside = field_beside(around, field, _TITLES)
    if beside is not None:
        return of_named_kind("slug", f"{reason}, beside {beside}", sure + 0.1, of=beside)
    return of_named_kind("slug" if has_room(field, 12) else "setting-key", reason, sure * 0.9)


def _zoned(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    own = around.topic
    if own.within("network", "web") or around.head in ("dns", "record", "zone", "domain") or around.has("ttl", "nameserver"):
        return of_kind(around, field, "domain-name", {}, reason, sure)
    return None


def _addressed(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    own = around.topic
    mail = around.has("goto", "forward", "domain", "mailbox") and not around.has("ip", "port")
    if mail and not around.has("city", "postcode", "street", "country"):
        return of_kind(around, field, "email", {}, f"{reason}, of mail", sure)
    network = own.within("network", "devices") or around.head in ("host", "server", "node", "interface", "peer")
    if network and not around.has("city", "postcode", "street", "country"):
        return of_kind(around, field, "ipv4", {}, reason, sure)
    return of_kind(around, field, "street-address", {}, reason, sure)


_RATES = {
    "en": (("20", 72.0), ("5", 22.0), ("12.5", 6.0)),
    "de": (("19", 76.0), ("7", 24.0)),
    "fr": (("20", 68.0), ("10", 16.0), ("5.5", 16.0)),
    "es": (("21", 72.0), ("10", 20.0), ("4", 8.0)),
}


def _versioned(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """A release's tag is its version."""
    if around.head in ("release", "tag", "version", "image", "artifact", "build", "package"):
        return of_named_kind("version", f"{reason}, of a {around.head}", sure) if has_room(field, 8) else None
    return of_named_kind("term", reason, sure * 0.7, list="tags") if has_room(field, 8) else None


def _located(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """A person is in a town, a thing at a place of its trade."""
    if what_is(around.head) == "person" or around.has("username", "website", "bio", "followers"):
        return of_kind(around, field, "town", {}, f"{reason}, of somebody", sure)
    return of_named_kind("term", reason, sure * 0.95, list="locations") if has_room(field, 4) else None


def _branched(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """A line of development where software is made, else a house of a firm."""
    if around.topic.within("software", "releases", "jobs", "projects", "network") or around.has(
        "commit", "commit sha", "repository", "sha"
    ):
        return of_named_kind("git-branch", reason, sure)
    if not has_room(field, 20):
        return by_pattern(field, "[A-Z]{2,3}[0-9]{1,2}", reason, sure)
    return of_kind(around, field, "town", {}, f"{reason}, of a firm", sure)


def _rated(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """What an hour costs where one is told beside it, else nothing."""
    if around.has("hourly rate", "hours", "billable", "overtime"):
        return by_number(field, "18 140 price", f"{reason}, of work", sure)
    return None


def _jobnamed(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """What a machine does again and again; where persons are hired, what somebody works as."""
    machine = around.topic.within("jobs", "software", "network", "storage") or around.has(
        "queue", "trigger", "cron", "exit code", "trigger group"
    )
    if machine and has_room(field, 8):
        return of_named_kind("thing-name", f"{reason}, of a task of machines", sure, topic="jobs")
    return of_kind(around, field, "job-title", {}, reason, sure)


def _uided(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """The login of a person, a random identifier of anything else."""
    if what_is(around.head) == "person" or around.has("first name", "last name", "surname"):
        return of_kind(around, field, "username", {}, f"{reason}, of a person", sure)
    return by_pattern(field, "[a-z0-9]{14}" if has_room(field, 14) else "[a-z0-9]{6}", reason, sure)


def _routed(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """The way of a medicine into the body, a way through the country, or the path of a page."""
    if around.topic.within("medicine", "pharmacy", "veterinary") or around.has("drug", "dosage", "dose", "medication"):
        return by_words(
            field, read_pairs("oral:60, intravenous:20, topical:12, subcutaneous:8"), f"{reason}, of a medicine", sure
        )
    if around.topic.within("transit", "freight", "railways", "travel", "waste", "parcels", "aviation", "ships"):
        return by_pattern(field, "[A-Z]{1,2}[1-9][0-9]?", f"{reason}, of traffic", sure)
    return of_kind(around, field, "url-path", {}, reason, sure)


def _pixels(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    file = around.has(
        "file size",
        "filesize",
        "mime type",
        "file",
        "filename",
        "file name",
        "format",
        "md5sum",
        "pixels",
        "url",
        "md5",
        "content type",
    )
    if not file and not around.topic.within("photography", "files", "film"):
        return None
    usual = "1920:26, 1280:20, 1024:14, 800:14, 640:10, 3840:8, 2560:8" if around.words[field.name][-1] == "width" else (
        "1080:26, 720:20, 768:14, 600:14, 480:10, 2160:8, 1440:8")  # fmt: skip
    return by_words(field, read_pairs(usual), f"{reason}, of a picture", sure)


def _unitnumbered(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """Where somebody lives, beside an address; else a number of something that comes in units."""
    if around.has("street", "city", "address", "postcode", "building"):
        return None
    return by_pattern(field, code_pattern("", ("unit", "number"), around.noun, field.room), f"{reason}, no address", sure)


def _worked(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """What runs tasks of a machine, else somebody."""
    machine = around.topic.within("jobs", "software", "network", "releases") or around.has(
        "queue", "attempts", "payload", "job", "exit code"
    )
    if machine:
        return by_pattern(field, "(Mail|Report|Import|Export|Cleanup|Index|Sync)(Job|Worker|Handler)", reason, sure)
    return of_kind(around, field, "other-person", {}, reason, sure)


def _agent(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """A browser where an address of the network stands beside it, else somebody who acts for others."""
    if around.has("ip", "ip address", "remote address", "referer", "session"):
        return of_named_kind("user-agent", f"{reason}, beside an address", sure)
    return of_kind(around, field, "other-person", {}, reason, sure)


def _eventname(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """The key of an event where machines log or send it, else what an event is called."""
    if around.topic.within("software", "logs", "jobs", "web", "network", "security", "messages") or "log" in around.noun:
        return _eventtype(around, field, reason, sure)
    return of_named_kind("thing-name", f"{reason}, of a thing", sure) if has_room(field, 4) else None


def _mailaddress(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """Whom a letter comes from or goes to, where the entity has what letters have."""
    if around.has("subject", "cc", "bcc", "message id", "reply to", "envelope", "mail", "email"):
        return of_kind(around, field, "email", {}, f"{reason}, of a letter", sure)
    return None


def _mailonly(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    return of_named_kind("message-id", reason, sure) if around.has("message id", "reply to", "subject") else None


def _idnumber(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """A number that somebody is told apart by; of a thing, a code."""
    if what_is(around.head) == "person" or around.has("last name", "first name", "birth date"):
        return by_pattern(field, "[1-9][0-9]{7}[A-Z]", reason, sure)
    return by_pattern(field, code_pattern("", around.words[field.name], around.noun, field.room), reason, sure)


def _graded(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """Of a hundred where the number has room for that, else one to five."""
    kind = field.type
    wide = kind.precision is not None and kind.precision - (kind.scale or 0) >= 3
    hundred = wide or kind.precision is None or around.has("grade maximum", "maximum grade", "maximum points", "maximum score")
    return by_number(field, "20 100 hump" if hundred else "1 5 hump", reason, sure)


_PURPOSES = {
    "en": "(Invoice|Rent|Instalment|Membership fee|Salary) (0[1-9]|1[0-2])/202[3-5]",
    "de": "(Rechnung|Miete|Rate|Beitrag|Gehalt) (0[1-9]|1[0-2])/202[3-5]",
    "fr": "(Facture|Loyer|Cotisation|Salaire) (0[1-9]|1[0-2])/202[3-5]",
    "es": "(Factura|Alquiler|Cuota|Salario) (0[1-9]|1[0-2])/202[3-5]",
}


def _purposed(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """What a payment is for, as it stands on a statement."""
    return by_pattern(field, _PURPOSES.get(around.vocabulary.language, _PURPOSES["en"]), reason, sure)


def _used_for(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """What a thing is used for; what a payment is for."""
    if around.topic.within("banking", "payments", "invoicing", "accounting", "loans") or around.has("iban", "bic", "bank code"):
        return _purposed(around, field, reason, sure)
    return of_named_kind("term", reason, sure, list="uses") if has_room(field, 3) else None


def _revised(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """What a repository calls a state of its files; of a drawing or a document its letter or number."""
    if not around.topic.within(*SYSTEMS) or not has_room(field, 40):
        return None
    return by_pattern(field, "[0-9a-f]{40}", f"{reason}, of a repository", sure)


def _vcard_named(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """The formatted name of an address book's entry (RFC 6350)."""
    told = {"vcard", "addressbook", "contact", "book", "card"} & set(around.noun) or around.has(
        "n", "email", "org", "bday", "tel"
    )
    return of_kind(around, field, "name", {}, f"{reason}, of an address book", sure) if told else None


def _sectioned(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """Of a law a number; of settings and packages a word."""
    if around.topic.within("law", "courts", "taxation", "parliament", "customs", "police", "public"):
        return by_pattern(field, r"(s\.|§|Art\.) [1-9][0-9]?[0-9]?", f"{reason}, of a law", sure)
    if around.topic.within(*SYSTEMS, NEUTRAL):
        return by_words(field, read_pairs("general:30, display:18, network:14, mail:14, security:12, advanced:12"), reason, sure)
    return None


def _sourced(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """Where something came from; beside a language the text that is translated."""
    if around.has("language", "locale", "language code", "translation", "target language") and has_room(field, 40):
        return of_named_kind("text", f"{reason}, a text to translate", sure, purpose="title")
    return by_words(field, read_pairs("website:38, referral:24, import:16, phone:14, partner:8"), reason, sure)


def _spanned(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """The beginning and the end of a span of time, in seconds since 1970; of anything else that has both, none of these."""
    both = around.has("begin", "start") and around.has("end", "stop", "finish")
    places = around.has("chromosome", "strand", "offset", "page", "chapter", "line")
    if not both or places or field.type.name is not TypeName.BIGINT:
        return None
    return of_named_kind("epoch", f"{reason}, of a span of time", sure)


def _interfaced(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """Where a machine is connected; of other things a name."""
    if not around.topic.within(*SYSTEMS):
        return None
    return by_words(field, read_pairs("eth0:40, eth1:18, ens3:14, wlan0:12, lo:8, br0:8"), reason, sure)


def _ldap_named(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """A family name beside what directories keep of persons; by itself a serial number."""
    if around.has("given name", "first name", "given", "cn", "telephone number", "middle"):
        return of_kind(around, field, "family-name", {}, f"{reason}, of a person in a directory", sure)
    if around.words[field.name][-1] != "sn":
        return None
    return by_pattern(field, code_pattern("serial", around.words[field.name], around.noun, field.room), reason, sure)


def _ldap_common(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """The common name (RFC 4519): of a person in a directory, of a machine in a certificate."""
    persons = around.has("given name", "first name", "sn", "surname", "last name", "mail", "email", "telephone number")
    return of_named_kind("name" if persons else "host-name", f"{reason}, a common name", sure) if has_room(field, 20) else None


def _ldap_given(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    persons = around.has("family", "family name", "sn", "last name", "surname", "middle", "nickname", "bday")
    return of_kind(around, field, "given-name", {}, f"{reason}, of a person in a directory", sure) if persons else None


def _modelled(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """A class of a program; of a machine or a vehicle what its maker calls it."""
    points = around.has("foreign key", "object id", "res id", "item id", "record id", "row id")
    if not points and (
        not around.topic.within(*SYSTEMS) or around.topic.within("devices", "network", "hosting", "homeautomation")
    ):
        return None
    if around.has("maker", "manufacturer", "brand", "serial number", "vendor") or what_is(around.head) is not None:
        return None
    return _othertable(around, field, reason, sure)


Context = Callable[[Around, Field, str, float], Guessed | None]
_CONTEXTS: dict[str, Context] = {
    "status": _status,
    "kindof": _kindof,
    "unit": _unit,
    "taxrate": _taxrate,
    "price": _price,
    "sex": _sex,
    "weight": _weight,
    "salutation": _salutation,
    "birth": _birth,
    "language": _language,
    "model": _model,
    "method": _method,
    "path": _path,
    "percent": _percent,
    "temperature": _temperature,
    "rank": _rank,
    "eventtype": _eventtype,
    "othertable": _othertable,
    "tagwords": _tagwords,
    "abbreviated": _abbreviated,
    "slugged": _slugged,
    "titled": titled,
    "named": named,
    "displayed": displayed,
    "zoned": _zoned,
    "addressed": _addressed,
    "agent": _agent,
    "worked": _worked,
    "unitnumbered": _unitnumbered,
    "jobnamed": _jobnamed,
    "uided": _uided,
    "routed": _routed,
    "pixelwide": _pixels,
    "pixelhigh": _pixels,
    "prefixed": prefixed,
    "branched": _branched,
    "rated": _rated,
    "versioned": _versioned,
    "located": _located,
    "eventname": _eventname,
    "mailaddress": _mailaddress,
    "mailonly": _mailonly,
    "functioned": functioned,
    "fullnamed": fullnamed,
    "idnumber": _idnumber,
    "graded": _graded,
    "interfaced": _interfaced,
    "spanned": _spanned,
    "sectioned": _sectioned,
    "sourced": _sourced,
    "revised": _revised,
    "vcardnamed": _vcard_named,
    "purposed": _purposed,
    "usedfor": _used_for,
    "ldapnamed": _ldap_named,
    "ldapgiven": _ldap_given,
    "ldapcommon": _ldap_common,
    "modelled": _modelled,
}


def in_context(around: Around, field: Field, what: str, reason: str, sure: float) -> Guessed | None:
    """What depends on the entity, or on what stands beside the field."""
    return _CONTEXTS[what](around, field, reason, sure)
