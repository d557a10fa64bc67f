"""What words of daily life mean by what stands around them: who is host, whose flag, which role."""

from __future__ import annotations

from ..model import Field
from ..model.types import INTEGERS, TEXTS
from .around import Around, Context, Guessed, is_keyed
from .naming.values import in_language
from .nouns import SYSTEMS, what_is
from .of_numbers import of_somebody
from .of_row import of_kind
from .offers import by_number, by_pattern, by_words, has_room, of_named_kind, read_pairs

# how long at most, in the words of its name or its entity's
_LONGEST = {
    word: span
    for span, words in (
        ("45 minutes", "break pause interval recess snooze cooldown intermission"),
        ("30 minutes", "timeout latency response delay debounce backoff"),
        ("90 days", "retention lifetime validity period warranty expiry expiration notice grace term trial lead"),
        ("3 hours", "lesson meeting session talk contribution lecture appointment consultation film track episode song call"),
        ("9 hours", "shift trip flight day tour"),
    )
    for word in words.split()
}


def _lasting(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """How long something lasts, by what it is: a break less than an hour, what is kept some months."""
    told = next((_LONGEST[word] for word in reversed((around.head, *around.words[field.name])) if word in _LONGEST), None)
    return of_named_kind("duration", reason, sure, **({"most": told} if told else {}))


def _documented(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """A file, where documents are kept; else what a document is called."""
    if {"document", "attachment", "upload", "file", "scan"} & set(around.noun) or around.has(
        "uploaded at", "mime type", "file size"
    ):
        return of_kind(around, field, "file-name", {}, f"{reason}, kept as a file", sure)
    return None


def _affiliated(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """Of a chat's member how he belongs to it, of others where they belong."""
    if around.has("jid", "nickname", "room jid", "node") or around.topic.within("messages"):
        return by_words(field, read_pairs("member:52, owner:16, admin:12, none:14, outcast:6"), f"{reason}, of a chat", sure)
    return of_kind(around, field, "organization", {}, f"{reason}, where somebody belongs", sure)


_THEMES = (
    "winter:10, seaside:10, jungle:8, outer space:8, pirates:8, fairy tales:8, ancient Egypt:6, music:8, nature:10, "
    "city life:8, history:8"
)


_OF_SCREENS = tuple("locale/language/lang/timezone/time zone/username/setting/css/layout/template/format/skin".split("/"))


def _themed(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """What a room, a party or a show is about; how the screens of a system look is told elsewhere."""
    if around.topic.within(*SYSTEMS) or around.has(*_OF_SCREENS):
        return None
    return by_words(field, in_language(read_pairs(_THEMES), around.vocabulary.language), f"{reason}, of what is shown", sure)


def _organized(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """The name of a firm; of somebody, where the row is about a person."""
    if what_is(around.head) == "person" and not around.has(
        "vat number", "vat id", "company", "company name", "registration number"
    ):
        return (
            None
            if around.words[field.name][0] in ("legal", "registered")
            else of_kind(around, field, "organization", {}, reason, sure)
        )
    return of_kind(around, field, "organization", {}, reason, sure)


_RUNNING = frozenset(
    "run batch shift job reading inspection measurement test maintenance log production cycle operation machine check".split()
)


def _operated(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """Who runs a machine; what runs a line or a network is a firm."""
    done = any(words[:1] and words[0] in _ACTS for words in around.words.values())
    run = done or bool(_RUNNING & set(around.noun))
    return of_kind(around, field, "other-person", {}, f"{reason}, of a {around.head}", sure) if run else None


_COMES = ("arrived at", "arrived", "returned at", "returned", "reached at", "back at", "came at", "entered at", "joined at")


_LEAGUE_YEARS = read_pairs("2022/23:18, 2023/24:24, 2024/25:28, 2025/26:30")


def _opposed(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """Whom a team plays against: another team, where teams play; of one player it is told elsewhere."""
    named = {word for words in around.words.values() for word in words}
    teams = around.topic.within("sports") or {"team", "squad", "club"} & named
    if not teams or not has_room(field, 24):
        return None
    return of_named_kind("thing-name", f"{reason}, of teams", sure, topic="sports", list="names")


def _seasoned(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """The season of a league runs over two years; elsewhere a season is one of the year's four."""
    played = {"team", "squad", "league", "match", "fixture"} & set(around.noun)
    return by_words(field, _LEAGUE_YEARS, f"{reason}, of a league", sure) if played and has_room(field, 7) else None


def _left(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """When somebody left, where the row says as well when they came; else where something was left."""
    if around.has(*_COMES):
        return of_named_kind("iso-time", f"{reason}, of who comes and goes", sure)
    return of_kind(around, field, "town", {"row": "other"}, reason, 0.74)


_ACTS = frozenset("done performed started start began finished".split())
_MEETING = frozenset(
    "session event show party episode dinner meeting webinar tasting tour podcast workshop evening match broadcast".split()
)


def _hosted(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """Who receives the guests, where people meet; elsewhere a host is a machine."""
    machine = around.topic.within(*SYSTEMS) or around.has("port", "ip", "ip address", "url", "protocol")
    return (
        of_kind(around, field, "name", {}, f"{reason}, of people", sure) if _MEETING & set(around.noun) and not machine else None
    )


def _heighted(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """How tall somebody is; a thing's size in centimetres is told elsewhere."""
    person = what_is(around.head) == "person" or around.has("birth date", "first name", "last name")
    return by_number(field, "150 198 hump", f"{reason}, of a person", sure) if person else None


def _flagged(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """The country whose flag a vessel flies; a flag of anything else is a mark."""
    if what_is(around.head) != "vessel" and not around.has("imo", "mmsi", "tonnage", "gross tonnage", "home port"):
        return None
    return of_kind(around, field, "country-name", {}, f"{reason}, of a vessel", sure)


def _one_of_several(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """A machine of which a place has a few, told by its number: Furnace 2."""
    words = around.words[field.name]
    noun = words[-2] if words[-1] == "name" and len(words) > 1 else words[-1]
    if noun == around.head or around.vocabulary.language != "en":
        return None
    return by_pattern(field, f"{noun.capitalize()} [1-6]", f"{reason}, of which there are several", sure)


def _run_by_program(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """What a machine is set to, where the row is of one of its runs."""
    if not _RUNNING & set(around.noun) or around.of_systems or around.vocabulary.language != "en":
        return None
    return by_pattern(field, "Program [1-9]", f"{reason}, of a {around.head}", sure * 1.2)


_PLAYED = frozenset("casting cast audition role production scene understudy dubbing costume play performance".split())


def _charactered(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """Whom somebody plays: a name; elsewhere a character is a sign."""
    return of_kind(around, field, "name", {}, f"{reason}, who is played", sure) if _PLAYED & set(around.noun) else None


_ROLES = "member:30, assistant:22, leader:16, coordinator:12, volunteer:12, observer:8"


# whose members use a system together
_OF_WHOSE = tuple(f"{whose} id" for whose in "organization workspace team account tenant company org project".split())


def _roled(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """What somebody does among others; what may be done in a system is told elsewhere."""
    if (
        around.topic.within(*SYSTEMS)
        or around.has(*_OF_WHOSE)
        or around.has("permission", "permissions", "username", "login", "password", "tenant", "email")
    ):
        return None
    people = (
        "member",
        "participant",
        "volunteer",
        "crew",
        "participation",
        "membership",
        "assignment",
        "staff",
        "person",
        "attendance",
    )
    if not set(people) & set(around.noun):
        return None
    return by_words(field, in_language(read_pairs(_ROLES), around.vocabulary.language), f"{reason}, among people", sure)


_BODIES = (
    r"(National|Royal|European|International) (Institute|Association|Board|Council) of "
    r"(Crafts|Sport|Trades|Teaching|Safety|Health)"
)


def _bodied(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """Who certifies; short, by its letters."""
    return by_pattern(field, _BODIES, reason, sure) or by_pattern(field, "[A-Z]{3,4}", reason, sure * 0.9)


_PLAYS = "comedy:26, drama:26, musical:18, tragedy:10, opera:8, farce:6, pantomime:6"


def _genred(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """What sort of play, where plays are told of; the sorts of other trades are theirs."""
    plays = around.topic.within("theatre", "theater") or around.has(
        "playwright", "choreographer", "act", "intervals", "running minutes"
    )
    return (
        by_words(field, in_language(read_pairs(_PLAYS), around.vocabulary.language), f"{reason}, of a play", sure)
        if plays
        else None
    )


def _tall(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """How tall somebody is in centimetres, or how high a thing is."""
    person = of_somebody(around, field) or (around.has("position") and not around.has("width"))
    return by_number(field, "150 198 hump" if person else "3 140 tail", reason, sure)


_DONE = "inspection:28, cleaning:20, repair:20, replacement:16, adjustment:16"


def _operation(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """What is done to a thing; what is done to a row of a system is told elsewhere."""
    system = around.topic.within(*SYSTEMS) or around.has(
        "ip", "user id", "entity", "table name", "old value", "actor", "target type", "request id"
    )
    return (
        None
        if system
        else by_words(field, in_language(read_pairs(_DONE), around.vocabulary.language), f"{reason}, to a thing", sure)
    )


_FORMS = "tablet:38, capsule:18, solution:14, injection:12, ointment:8, drops:6, cream:4"
_VESSELS = "bowl:28, mug:26, vase:16, plate:16, jug:8, tile:6"


def _formed(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """The form of a medicine, or of what is made by hand; a form of anything else is told elsewhere."""
    if around.topic.within("pharmacy", "medicine") or around.has("dose", "strength", "drug", "medication"):
        return by_words(field, read_pairs(_FORMS), f"{reason}, of a medicine", sure)
    return by_words(field, read_pairs(_VESSELS), f"{reason}, of a piece", sure) if around.topic.within("crafts") else None


def _postered(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """A picture that is put up; in what people write to each other it is somebody."""
    if around.topic.within("forums", "messages", "news") or around.has("post", "body", "message", "thread"):
        return None
    return of_kind(around, field, "file-path", {"row": "image"}, f"{reason}, a picture", sure)


_PLACES = frozenset(
    "station depot venue building bridge pool park hall house mine quarry factory plant site school church lighthouse".split()
)


def _built(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """The year in which a place was opened or built; seconds where other numbers are seconds."""
    always = around.words[field.name][-1] in ("established", "founded", "constructed")
    place = always or _PLACES & set(around.noun) or what_is(around.head) in ("firm", "place", "landmark", "vessel")
    if not place or around.in_seconds - {field.name}:
        return None
    return by_number(field, "1880 2022 hump", f"{reason}, of a {around.head}", sure)


_MACHINES = "excavator:26, wheel loader:24, dump truck:18, crane:12, generator:10, compressor:10"


def _planted(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """Which sort of machine, where plant is that: it has a maker, hours or a bucket."""
    machine = around.has("engine hours", "make", "model", "bucket capacity", "serial number", "service hours", "year manufacture")
    words = in_language(read_pairs(_MACHINES), around.vocabulary.language)
    return by_words(field, words, f"{reason}, of a machine", sure) if machine else None


def _every_few(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """Every how many months something is paid, where an amount is told."""
    if not around.has("amount", "fee", "price", "dues", "contribution", "premium") or field.type.name not in INTEGERS:
        return None
    return by_words(field, read_pairs("1:50, 12:26, 3:14, 6:10"), f"{reason}, in months, beside an amount", sure)


def _of_bank(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """A bank, beside what accounts have."""
    banks = around.has("iban", "bic", "sort code", "mandate reference", "account holder")
    return (
        of_named_kind("organization", f"{reason}, beside an account", sure, trade="bank")
        if banks and has_room(field, 12)
        else None
    )


def _code_of_currency(around: Around, field: Field) -> str | None:
    """The text beside a field that holds the code of its currency."""
    wanted: list[tuple[str, ...]] = [("code",), ("iso",)] if around.head == "currency" else []
    wanted += [("currency", "code"), ("iso", "code"), ("currency",), ("code", "currency")]
    for words in wanted:
        for other in around.entity.fields:
            fits = other.type.name in TEXTS and (other.room is None or other.room >= 3) and other.name != field.name
            if around.words[other.name] == words and fits and (field.nullable or not other.nullable):
                return other.name
    return None


_CURRENCIES = read_pairs("Euro:60, Pound sterling:22, US dollar:18")
_SIGNS = read_pairs("€:60, £:25, $:15")


def _currency_named(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    code = _code_of_currency(around, field)
    if code is not None and has_room(field, 30):
        return of_named_kind("currency-name", f"{reason}, of {code}", sure, of=code)
    return by_words(field, _CURRENCIES, reason, sure)


def _currency_signed(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    code = _code_of_currency(around, field)
    if code is not None and has_room(field, 5) and not is_keyed(around.entity, field):
        return of_named_kind("currency-sign", f"{reason}, of {code}", sure, of=code)
    return by_words(field, _SIGNS, reason, sure)


_OF_COURTS = read_pairs("guilty:48, not guilty:34, dismissed:14, hung jury:4")
_OF_TESTS = read_pairs("pass:66, pass with remarks:20, fail:14")


def _judged(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """What a court finds, or whoever tests something."""
    court = around.topic.within("law", "courts", "police") or around.has("defendant", "plaintiff", "judge", "charge")
    return by_words(field, _OF_COURTS if court else _OF_TESTS, reason, sure)


IN_DAILY_LIFE: dict[str, Context] = {
    "judged": _judged,
    "currencynamed": _currency_named,
    "currencysign": _currency_signed,
    "everyfew": _every_few,
    "ofbank": _of_bank,
    "lasting": _lasting,
    "documented": _documented,
    "affiliated": _affiliated,
    "built": _built,
    "planted": _planted,
    "postered": _postered,
    "formed": _formed,
    "tall": _tall,
    "operation": _operation,
    "flagged": _flagged,
    "ofseveral": _one_of_several,
    "ofprogram": _run_by_program,
    "charactered": _charactered,
    "roled": _roled,
    "bodied": _bodied,
    "genred": _genred,
    "heighted": _heighted,
    "hosted": _hosted,
    "themed": _themed,
    "organized": _organized,
    "operated": _operated,
    "leftat": _left,
    "opposed": _opposed,
    "seasoned": _seasoned,
}
