"""Guesses that depend on the entity, its topic, or what stands beside the field."""

from __future__ import annotations

from ..model import (
    Field,
)
from ..model.types import INTEGERS, TEXTS
from ..values.vocabulary import NEUTRAL, also_by_noun, by_noun, topic
from ..values.vocabulary import listed as trade_words
from .around import Around, Context, Guessed, default_of, field_beside, is_keyed
from .called import displayed, fullnamed, functioned, named, prefixed, titled
from .codes import code_pattern
from .company import VAGUE
from .in_applications import IN_APPLICATIONS
from .in_daily_life import IN_DAILY_LIFE
from .in_libraries import IN_LIBRARIES
from .in_systems import IN_SYSTEMS, other_table
from .in_weather_and_company import BESIDE
from .living_things import OF_LIVING_THINGS
from .naming import singular, with_article
from .naming.values import family_of, in_language
from .nouns import ANIMALS, PERSONS, SYSTEMS, what_is
from .of_numbers import OF_NUMBERS
from .of_row import of_kind, tag_of_language
from .offers import SORTS, by_number, by_pattern, by_weight, by_words, has_room, holds, of_named_kind, read_pairs
from .states import by_steps, has_states, moved_on, status_weights


def trades_of(topic: str) -> tuple[str, ...]:
    """What firms of a trade call themselves."""
    return trade_words(f"trades of {topic}")


_TITLES = ("name", "title", "label", "headline", "subject")


_OF_PLACES = frozenset(
    "address home billing bill shipping ship mailing site birth delivery residence postal from to work office business".split()
)


def _status(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    own = around.topic
    words = around.words[field.name]
    of_place = words[-1:] == ("state",) and (len(words) == 1 or words[-2] in _OF_PLACES)
    if of_place and around.has("city", "postcode", "zip", "postal code", "street", "town"):
        return of_kind(around, field, "region", {}, f"{reason}, beside a place", sure)
    noun = (words[-2],) if len(words) > 1 and has_states(words[-2]) else around.noun  # invoice_status of an order is an invoice's
    noun = ("paymentstatus",) if words[-2:-1] == ("payment",) else noun
    default = default_of(field)
    states = status_weights(noun, own.name, around.words, around.vocabulary.language, default)
    known = any(map(has_states, noun))
    later = moved_on(default, states) if known and default and holds(field, default) else ()
    if later and all(holds(field, value) for value, _ in later):
        return by_weight(later, f"{reason}; {default} is its default, in which rows begin", sure)
    steps = by_steps(default, family_of(default)) if default and default not in dict(states) else ()
    if steps and all(holds(field, value) for value, _ in steps):
        return by_weight(steps, f"{reason}; {default} is its default, in which rows begin", sure)
    return by_words(field, states, reason, sure)


def _kindof(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    own = around.topic
    default = default_of(field)
    whole = around.words[field.name]
    of_somebody = len(around.noun) < 2 or around.noun[-2] in _WHOSE or what_is(around.noun[-2]) is not None
    if of_somebody and around.head in _REACHED_AT and default is None and (len(whole) == 1 or whole[-2] in _REACHED_AT):
        return by_words(field, _REACHED_AT[around.head], f"{reason}, of a {around.head}", sure)
    listed = own.words("kinds")
    words = around.words[field.name]
    served = around.has("master", "serial", "notified serial", "nameserver", "primary", "catalog")
    if around.head in ("domain", "zone") and served:
        return by_words(field, _OF_ZONES, f"{reason}, of a zone of names", sure)
    if len(words) > 1 and (what := singular(words[-2])) not in around.noun and what not in own.nouns and default is None:
        found = by_noun().get(what)
        foreign = found is not None and around.of_systems and found[0] not in SYSTEMS
        if found is None or what in VAGUE or found[0] in SYSTEMS or foreign:
            return by_words(field, in_language(SORTS, around.vocabulary.language), f"{reason}, of a {what}", sure * 0.9)
        listed = topic(found[0]).spoken(around.vocabulary.language).words("kinds")
    elif default is None and _is_of_no_sort(around):
        sorts = in_language(SORTS, around.vocabulary.language)
        return by_words(field, sorts, f"{reason}, of {with_article(around.head)}", sure * 0.9)
    if what_is(around.head) == "firm" and around.vocabulary.language == "en" and (firms := trades_of(own.name)):
        listed = tuple(one.lower() for one in firms)
    if default and field.type.name in TEXTS and default not in listed:
        return None  # words of the trade would not go with it
    fitting = [one for one in listed if has_room(field, len(one))]
    return (
        by_words(field, tuple((one, float(max(2, 20 - 4 * at))) for at, one in enumerate(fitting)), reason, sure)
        if fitting
        else None
    )


def _is_of_no_sort(around: Around) -> bool:
    """Whether an entity is no thing of its topic, but only stands beside such: a region beside products."""
    told = {one for noun in around.noun for one in (by_noun().get(noun, ("",))[0], *also_by_noun().get(noun, ()))}
    return not around.topic.within("files") and around.head not in _LIKE_WHAT_HOLDS_THEM and around.topic.name not in told


# what is of the sorts of the thing that it is a part or a sort of
_LIKE_WHAT_HOLDS_THEM = frozenset(
    "line item row detail position entity variant unit class category group type kind model".split()
)
_OF_ZONES = read_pairs("NATIVE:44, MASTER:30, SLAVE:26")
_WHOSE = frozenset("user contact person customer partner client supplier profile account company organization lead".split())
_AT = read_pairs("home:44, work:40, other:16")
_REACHED_AT = {
    "tel": read_pairs("mobile:44, home:26, work:24, fax:6"), "phone": read_pairs("mobile:44, home:26, work:24, fax:6"),
    "adr": _AT, "email": _AT, "mail": _AT, "address": read_pairs("home:40, work:26, billing:20, delivery:14"),
}  # fmt: skip


def _unit(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    own = around.topic
    if around.has("dose", "drug", "medication", "dosage", "strength", "route") and has_room(field, 2):
        return by_words(field, read_pairs("mg:56, ml:18, g:10, mcg:10, IU:6"), f"{reason}, of a drug", sure)
    listed = tuple(one for one in own.words("units") if has_room(field, len(one)))
    return (
        by_words(field, tuple((one, float(max(1, 9 - 3 * at))) for at, one in enumerate(listed)), reason, sure)
        if listed
        else None
    )


def _sex(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    own = around.topic
    short = field.room is not None and field.room < 6
    letters = {"fr": "F:49 M:49", "es": "F:49 M:49", "de": "w:49 m:48 d:3"}.get(around.vocabulary.language, "F:50 M:49")
    words = {"de": "weiblich:49 männlich:48 divers:3", "fr": "femme:50 homme:50", "es": "mujer:50 hombre:50"}
    told = letters if short else words.get(around.vocabulary.language, "female:49 male:48 diverse:3")
    if around.has("first name", "given name", "full name", "last name") and around.head not in ANIMALS:
        return of_named_kind("gender", reason, sure, **({"form": "letter"} if short else {}))
    if own.within("animals", "veterinary") and not short:
        told = "female:50 male:50"
    return by_words(field, tuple((v, float(w)) for v, w in (pair.split(":") for pair in told.split())), reason, sure)


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


_PROGRAMS = frozenset(
    "repository repo project snippet package library module gist submission problem program script codebase runtime function "
    "build pipeline test exercise file".split()
)
# what people read or say, in a language that is no program's
_READ = frozenset("translation locale user profile member account person message term label page phrase subtitle".split())


def _language(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    own = around.topic
    code = around.head in _PROGRAMS or around.has("repository", "code", "source code", "snippet", "stars", "commit", "framework")
    if code and own.within("software", "jobs") and _READ.isdisjoint(around.noun):
        return by_words(field, read_pairs("Python:24, TypeScript:20, Java:16, Go:14, C#:10, Rust:6, PHP:6, Ruby:4"), reason, sure)
    spoken = around.vocabulary.language == "en"
    if spoken and own.within("library", "courses", "academia", "art", "files") and has_room(field, 10) and field.room is not None:
        return by_words(
            field, read_pairs("English:50, German:14, French:12, Spanish:11, Italian:5, Dutch:4, Polish:4"), reason, sure
        )
    return tag_of_language(around, field, reason, sure)


def _model(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    numbered = around.words[field.name][-1:] == ("number",)
    if around.topic.within("vehicles") and has_room(field, 10) and not numbered:
        return of_named_kind("thing-name", reason, sure)
    return by_pattern(field, code_pattern("model", (), around.noun, field.room), reason, sure)


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


def _addressed(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    own = around.topic
    if "ip" in around.noun[:-1]:
        return of_kind(around, field, "ipv4", {}, f"{reason}, of a network", sure)
    mail = around.has("goto", "forward", "domain", "mailbox", "medium") and not around.has("ip", "port")
    if mail and not around.has("city", "postcode", "street", "country"):
        return of_kind(around, field, "email", {}, f"{reason}, of mail", sure)
    network = own.within("network", "devices") or around.head in ("host", "server", "node", "interface", "peer", "lease")
    network = network or field.room in _LENGTHS_OF_ADDRESSES or around.has(*_BESIDE_ADDRESSES)
    network = network or any(around.words[one.name] == ("port",) and one.type.name in INTEGERS for one in around.entity.fields)
    if network and not around.has("city", "postcode", "street", "country"):
        newer = around.noun[-1:] == ("6",) or around.has("prefix length", "prefix len", "duid", "iaid")
        return of_kind(around, field, "ipv6" if newer else "ipv4", {}, f"{reason}, of a network", sure)
    return of_kind(around, field, "street-address", {}, reason, sure)


_LENGTHS_OF_ADDRESSES = (15, 39, 43, 45, 46)  # of version 4, of version 6, with a length of prefix, with an older one at its end
_BESIDE_ADDRESSES = ("hostname", "host name", "hardware address", "mac address", "mac", "netmask", "ttl", "prefix length")


def _hardware_addressed(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """Where a site lies; of what is in a network, that of its card."""
    place = around.has("shipping address", "latitude", "postcode", "city", "mailing address", "billing address")
    return of_kind(around, field, "street-address" if place else "mac-address", {}, reason, sure)


def _located(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """A person is in a town, a thing at a place of its trade."""
    if what_is(around.head) == "person" or around.has("username", "website", "bio", "followers"):
        return of_kind(around, field, "town", {}, f"{reason}, of somebody", sure)
    return of_named_kind("term", reason, sure * 0.95, list="locations") if has_room(field, 4) else None


def _rated(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """What an hour costs where one is told beside it, else nothing."""
    if around.has("hourly rate", "hours", "billable", "overtime"):
        return by_number(field, "18 140 price", f"{reason}, of work", sure)
    return None


def _in_building(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """Where somebody is in a house, beside an address; of tests a suite is something else."""
    of_address = around.has("street", "city", "address", "postcode", "zip", "building", "address line 1", "street address")
    return by_pattern(field, "(Unit|Suite|Floor) [1-9][0-9]?", reason, sure) if of_address else None


def _unitnumbered(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """Where somebody lives, beside an address; else a number of something that comes in units."""
    if around.has("street", "city", "address", "postcode", "building"):
        return by_pattern(field, "(Flat|Unit|Suite|Floor|Apartment) [1-9][0-9]?", reason, sure)
    return by_pattern(field, code_pattern("", ("unit", "number"), around.noun, field.room), f"{reason}, no address", sure)


def _worked(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """What runs tasks of a machine, else somebody."""
    machine = around.topic.within("jobs", "software", "network", "releases") or around.has(
        "queue", "attempts", "payload", "job", "exit code"
    )
    if machine:
        return by_pattern(field, "(Mail|Report|Import|Export|Cleanup|Index|Sync)(Job|Worker|Handler)", reason, sure)
    return of_kind(around, field, "other-person", {}, reason, sure)


def _idnumber(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """A number that somebody is told apart by; of a thing, a code."""
    if what_is(around.head) == "person" or around.has("last name", "first name", "birth date"):
        return by_pattern(field, "[1-9][0-9]{7}[A-Z]", reason, sure)
    return by_pattern(field, code_pattern("", around.words[field.name], around.noun, field.room), reason, sure)


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


def _sectioned(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """Of a law a number; of settings and packages a word."""
    if around.topic.within("law", "courts", "taxation", "parliament", "customs", "police", "public"):
        return by_pattern(field, r"(s\.|§|Art\.) [1-9][0-9]?[0-9]?", f"{reason}, of a law", sure)
    if around.topic.within(*SYSTEMS, NEUTRAL):
        return by_words(field, read_pairs("general:30, display:18, network:14, mail:14, security:12, advanced:12"), reason, sure)
    return None


_GROWN = (
    "food", "drinks", "plants", "farming", "products", "art", "museums", "clothes", "coffee", "cheese", "bakery", "butchery",
    "grocery", "vineyards", "livestock", "minerals", "furniture", "weaving",
)  # fmt: skip
_ASKING = frozenset("lead contact order request user customer member subscriber ticket inquiry visitor".split())


def _sourced(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """Where something came from; beside a language the text that is translated."""
    if around.has("language", "locale", "language code", "translation", "target language") and has_room(field, 40):
        return of_named_kind("text", f"{reason}, a text to translate", sure, purpose="title")
    if around.words[field.name][-1] == "origin" and around.topic.within(*_GROWN) and around.head not in _ASKING:
        return of_kind(around, field, "country-name", {}, f"{reason}, where it grows or is made", sure)
    if around.of_systems and around.topic.within(*SYSTEMS) and _ASKING.isdisjoint(around.noun) and (field.room or 99) > 24:
        return by_pattern(field, _MODULES, f"{reason}, of a program", sure)
    return by_words(field, read_pairs("website:38, referral:24, import:16, phone:14, partner:8"), reason, sure)


_MODULES = r"app\.(storage|jobs|mail|search|auth|reports)\.(local|remote|default|core)(\.(Client|Handler|Runner|Store))?"


_CONTEXTS: dict[str, Context] = {
    "status": _status,
    "kindof": _kindof,
    "unit": _unit,
    "sex": _sex,
    "salutation": _salutation,
    "birth": _birth,
    "language": _language,
    "model": _model,
    "othertable": other_table,
    "tagwords": _tagwords,
    "abbreviated": _abbreviated,
    "slugged": _slugged,
    "titled": titled,
    **BESIDE,
    "named": named,
    "displayed": displayed,
    "addressed": _addressed,
    "hardwareaddressed": _hardware_addressed,
    "worked": _worked,
    "unitnumbered": _unitnumbered,
    "inbuilding": _in_building,
    "prefixed": prefixed,
    "rated": _rated,
    "located": _located,
    "functioned": functioned,
    "fullnamed": fullnamed,
    "idnumber": _idnumber,
    **IN_DAILY_LIFE,
    **OF_LIVING_THINGS,
    **IN_LIBRARIES,
    **IN_SYSTEMS,
    **IN_APPLICATIONS,
    **OF_NUMBERS,
    "sectioned": _sectioned,
    "sourced": _sourced,
    "purposed": _purposed,
    "usedfor": _used_for,
}


def in_context(around: Around, field: Field, what: str, reason: str, sure: float) -> Guessed | None:
    """What depends on the entity, or on what stands beside the field."""
    return _CONTEXTS[what](around, field, reason, sure)
