"""What the thing is that a name or a title stands for: a person, a place, a firm, an animal, or a thing of its trade."""

from __future__ import annotations

from ..model import Field
from ..model.types import TEXTS
from ..values.vocabulary import NEUTRAL, by_noun
from .around import Around, Guessed
from .called_by_noun import called_by_noun, hangs_on_others, is_of_trade
from .codes import initials
from .company import VAGUE
from .living_things import of_group
from .naming import folded, singular, with_article
from .naming.values import in_language
from .nouns import LISTS, MESSAGES, PARTS_OF_PROGRAMS, PERSONS, SYSTEMS, is_noun, is_tool, what_is
from .of_row import of_kind, pays_as_firm
from .offers import by_pattern, by_words, fits, has_room, of_named_kind, read_pairs
from .states import has_states, status_weights

_OF_WORKS = ("art", "library", "music", "film")
_HAVE_TITLES = frozenset(
    "course module lecture seminar workshop training class curriculum tutorial lesson event concert fair festival show project "
    "trip journey excursion travel product article dish meal".split()
)


def _has_title(around: Around) -> bool:
    """Whether rows bear a title that is a name, as a course does; what people write has one that is a text."""
    written = around.has("body", "content", "text", "author", "published at", "teaser")
    return around.topic.within(*_OF_WORKS) or (around.head in _HAVE_TITLES and not written)


def titled(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    own = around.topic
    if own.within("music") and (event := _of_event(around, field, reason, sure)) is not None:
        return event
    if around.vocabulary.language != "en" and own.has("names") and _has_title(around):
        return of_named_kind("thing-name", f"{reason}, of a work", sure, list="names") if has_room(field, 4) else None
    if around.vocabulary.language != "en" and has_room(field, 30):
        return of_named_kind("text", reason, sure, purpose="title")
    of_person = around.head in _OF_THE_NOUN_BEFORE and around.noun[-2:-1] and what_is(around.noun[-2]) == "person"
    if around.head in PERSONS or of_person or around.has("first name", "last name"):
        works = around.has(
            "department", "company", "employer", "organization", "job", "hire date", "salutation", "salary", "position"
        )
        lives = around.has("street", "postcode", "line 1", "line1", "address line 1", "city", "salutation")
        if (field.room is None or field.room > 24) and (works or not (around.head in _PRIVATE or lives)):
            return of_kind(around, field, "job-title", {}, reason, sure)
        return by_words(field, read_pairs("Dr:58, Prof. Dr:12, Prof:10, Mr:10, Ms:10"), reason, sure)
    if around.head in MESSAGES:
        return of_named_kind("text", f"{reason}, of a {around.head}", sure, purpose="title") if has_room(field, 12) else None
    if (one := _of_players(around, field, reason, sure)) is not None or (
        one := _of_event(around, field, reason, sure)
    ) is not None:
        return one
    if (one := called_by_noun(around, field, reason, sure)) is not None and not _has_own_names(around, around.head):
        return one
    if (unknown := _of_unknown(around, field, around.head, reason, sure)) is not None:
        return unknown
    chosen = "titles" if own.has("titles") and own.name != "office" else "names"
    chosen = f"of {around.head}" if own.has(f"of {around.head}") else chosen
    return of_named_kind("thing-name", f"{reason}, of a thing", sure, list=chosen) if has_room(field, 4) else None


def _of_players(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """What a team is called that plays against others."""
    plays = around.head in _TEAMS and around.has(*_OF_PLAYERS) and has_room(field, 12)
    return of_named_kind("thing-name", f"{reason}, of players", sure, topic="sports") if plays else None


def _of_event(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """What an event is called that people come to, whatever it is about."""
    comes = around.head in _CONCERTS or (around.head == "event" and around.has(*_OF_GUESTS) and not around.of_systems)
    return of_named_kind("thing-name", f"{reason}, of an event", sure, topic="events") if comes and has_room(field, 12) else None


def displayed(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    words = around.words[field.name]
    owner = singular(words[-3]) if len(words) > 2 else around.head
    thing = owner in _ACCOUNTS_OF_THINGS or (owner in _OF_SYSTEMS and around.topic.within(*SYSTEMS))
    if what_is(owner) == "person" and not thing:
        return of_kind(around, field, "name", {}, reason, sure)
    if not thing and around.has("email", "login", "username", "last name", "password"):
        return of_kind(around, field, "name", {}, reason, sure)
    return named(around, field, reason, sure)


# what has an address or a login of its own, and is nobody
_ACCOUNTS_OF_THINGS = frozenset(
    "team group channel webhook hook command bot room project board workspace organization "
    "configuration config setting integration connection plugin template".split()
)
_OF_SYSTEMS = frozenset("provider client server service agent app application integration device".split())


# what has a name for programs, and a label for who reads it
_LABELLED = frozenset(("field", "attribute", "property", "setting", "option", "parameter"))


def _named_otherwise(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """A name beside a title is that in an address; a message's name is what it is about; a file's is one of files."""
    if pays_as_firm(around):
        return of_kind(around, field, "organization", {}, f"{reason}, of who pays", sure)
    mark = around.words[field.name][:-1]
    shown = [("title",), ("display", "name"), *([(*mark, "title")] if mark else [])]
    shown += [("label",)] if around.head in _LABELLED else []
    beside = (one for one in around.entity.fields if one.name != field.name and one.type.name in TEXTS)
    title = next((one for one in beside if around.words[one.name] in shown), None)
    if title is not None and (field.nullable or not title.nullable) and has_room(field, 40) and what_is(around.head) is None:
        return of_named_kind("slug", f"{reason}, beside {title.name}", sure, of=title.name)
    if around.head in ("comment", "reply", "post", "guestbook", "entry", "message") and around.has(
        "email", "mail", "homepage", "ip"
    ):
        return of_kind(around, field, "name", {}, f"{reason}, of who wrote it", sure)
    if around.head == "article" and (written := called_by_noun(around, field, reason, sure)) is not None:
        return written
    if (around.head in _TITLED and around.head not in LISTS) or around.noun[-1:] == ("issue",):
        return of_named_kind("text", f"{reason}, of a {around.head}", sure, purpose="title") if has_room(field, 12) else None
    if around.head in ("address", "recipient", "sender", "correspondent", "identity") and around.has(
        "email", "mail", "email address"
    ):
        return of_kind(around, field, "name", {}, f"{reason}, of whose address it is", sure)
    said = around.has("comment", "comments", "message", "feedback", "question", "phone", "enquiry", "inquiry")
    if around.has("email", "email address") and said and what_is(around.head) is None and around.head in _WRITTEN:
        return of_kind(around, field, "name", {}, f"{reason}, of who wrote it", sure)
    acts = not _ACTS.isdisjoint(around.noun) and around.head not in _ACCOUNTS_OF_THINGS
    if acts and around.has("email", "email address", "mail") and not around.has("title", "first name"):
        return of_kind(around, field, "name", {}, f"{reason}, of who does it", sure)
    if around.head in ("state", "status") and len(around.noun) > 1 and has_states(around.noun[-2]):
        states = status_weights(around.noun[:-1], around.topic.name, around.words, around.vocabulary.language)
        return by_words(field, states, f"{reason} of a state that {around.noun[-2]}s go through", max(sure, 0.9))
    if around.head in _BY_NUMBER and not around.has("email", "phone", "street", "first name", "address", "title", "description"):
        dealt = around.has("state", "status", "date", "total", "amount total", "total amount", "partner", "origin", "priority")
        pattern = f"{initials(around.head, around.vocabulary.language)[:2]}/202[4-6]/0[0-9]{{4}}"
        numbered = by_pattern(field, pattern, f"{reason}, by which a {around.head} is called", sure) if dealt else None
        if numbered is not None:
            return numbered
    if ("ttl",) in around.words.values() and has_room(field, 20):
        return of_kind(around, field, "host-name", {}, f"{reason}, beside a time to live", sure)
    if around.head == "service" and around.has("port", "ports") and around.has("protocol", "version", "status", "banner"):
        return by_words(field, _NETWORK_SERVICES, f"{reason}, beside a port", sure)
    login = around.has("username", "login") and around.has("password", "password hash")
    if login and not around.has("host", "port", "url", "server", "database") and what_is(around.head) is None:
        return of_kind(around, field, "name", {}, f"{reason}, beside a login", sure)
    told = set(around.words.values())
    pathed = {("path",), ("file", "path"), ("full", "path"), ("storage", "path")} & told
    sized = {("size",), ("file", "size"), ("bytes",)} & told or around.has("mime type", "mimetype", "etag")
    if pathed and sized and has_room(field, 20) and around.head not in _NO_FILES:
        return of_kind(around, field, "file-name", {}, f"{reason}, beside a path", sure)
    if around.head in _FILES and around.has("size", "mime type", "content type", "download count", "file size", "path", "uuid"):
        return of_kind(around, field, "file-name", {}, f"{reason} of a file", sure)
    return None


_MACHINES = frozenset(
    "host client agent worker server runner operator controller reader master slave listener port conductor "
    "guard exporter importer".split()
)


# called like the place where they lie
_GROUNDS = frozenset(
    "site campus yard reserve quarry mine pit depot estate farm plantation forest camp resort station airfield hut".split()
)
_PRIVATE = frozenset("patient guest passenger member student pupil customer person datum child resident donor".split())


_CONCERTS = frozenset("concert recital performance gig matinee show festival".split())
_OF_GUESTS = ("venue", "capacity", "organizer", "tickets", "entry fee", "speaker", "audience", "max participants")
_TITLED = frozenset("bug task todo ticket incident complaint defect post article".split())


# a hospital's profile is called like the hospital, a foundry's bell is not called like the foundry
_OF_THE_NOUN_BEFORE = frozenset(
    "profile record detail data datum metadata info information master entry member contact account user entity item list "
    "registry directory register".split()
)


_NO_FILES = frozenset("album playlist artist library folder collection gallery playlists series season show book".split())
# what somebody sends who leaves a name
_WRITTEN = frozenset("report feedback request enquiry inquiry contact submission form complaint registration rsvp signup".split())
_NETWORK_SERVICES = read_pairs("http:26, https:24, ssh:20, dns:8, smtp:8, mysql:6, postgresql:4, ftp:4")
# what somebody does, under a name
_ACTS = frozenset(
    "donation pledge gift rsvp invite invitation signup subscription registration reservation booking enquiry inquiry feedback "
    "testimonial review vote application checkin attendance petition signature referral payment charge refund".split()
)
# documents that go by their number
_BY_NUMBER = frozenset(
    "order invoice quotation quote picking move receipt voucher bill requisition delivery shipment payslip".split()
)
_FILES = frozenset("attachment upload file image photo picture asset media medium".split())


def named(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """`name` is of a person, a place, a firm, an animal or a thing: by its entity, else by its neighbours."""
    head, before = _owner(around, field)
    own, alone = around.topic, len(around.words[field.name]) == 1
    if alone and (told := _named_otherwise(around, field, reason, sure)) is not None:
        return told
    if alone and head == "entity" and around.has("address", "postcode", "phone", "fax", "website", "tax id"):
        return of_kind(around, field, "organization", {}, f"{reason}, of who can be reached", sure)
    if _of_who_writes(around, field) and fits("name", field):
        return of_named_kind("name", f"{reason}, beside an address of the same", sure * 1.1)
    if around.words[field.name] == ("item",) and own.within("loans", "insurance", "banking", "payments", "auctions"):
        said = f"{reason}, which is no {own.name}"
        return of_named_kind("thing-name", said, sure, topic="products") if has_room(field, 8) else None
    if head in _GROUNDS and not own.within(*SYSTEMS) and fits("place-name", field):
        return of_named_kind("place-name", f"{reason} of a {head}, by its entity", sure)
    if alone and head in _VENUES and around.vocabulary.language != "en" and around.has("city", "town", "address", "postcode"):
        halls = in_language(tuple((hall, 10.0) for hall in _HALLS), around.vocabulary.language)
        return by_words(field, halls, f"{reason} of a place with an address", sure * 1.1)
    if alone and (lettered := _part_of_a_place(around, field, reason, sure)) is not None:
        return lettered
    if around.has("latin name", "scientific name") and has_room(field, 3):
        if (told := of_group(around, field, f"{reason}, beside a scientific one", sure)) is not None:
            return told
        return of_named_kind("thing-name", f"{reason}, beside a scientific one", sure, list="species")
    for noun, trust in ((head, 1.1), *((one, 0.9) for one in before if head not in LISTS and head not in _OF_THINGS)):
        if (told := _of_noun(around, field, noun, reason, sure * trust)) is not None:
            return told
    last = around.has("last name", "surname", "family name") and not around.has("first name", "given name")
    if alone and last and fits("given-name", field):
        return of_named_kind("given-name", f"{reason}, beside a last name", sure * 1.1)
    if alone and around.has("first name", "given name") and fits("family-name", field):
        return of_named_kind("family-name", f"{reason}, beside a first name", sure * 1.1)
    if _beside_what_persons_have(around, head) and fits("name", field):
        return of_named_kind("name", f"{reason}, beside what persons have", sure)
    if (told := _of_players(around, field, reason, sure)) is not None:
        return told
    one = called_by_noun(around, field, reason, sure) if alone or around.words[field.name] in _ITS_NAMES else None
    if one is not None and not _has_own_names(around, head):
        return one
    return _of_thing(around, field, head, reason, sure) if has_room(field, 3) else None


_VENUES = frozenset("place venue location hall".split())
_HALLS = ("Main Hall", "Town Hall", "Community Centre", "Park Stage", "Studio Theatre", "Sports Hall", "School Hall",
          "Market Hall", "Youth Centre", "Old Fire Station")  # fmt: skip
_PARTS_OF_PLACES = frozenset("section block sector plot wing compartment paddock bay aisle subsection quadrant".split())


def _part_of_a_place(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """A part of a place that is told by a letter: Block C. It is called as its table is, in the language of that."""
    if around.head not in _PARTS_OF_PLACES or around.of_systems or not hangs_on_others(around.entity):
        return None
    parts = folded(singular(around.entity.name.rpartition(".")[2])).split("_")
    written = parts[0 if around.vocabulary.language in ("fr", "es") else -1].capitalize()
    return by_pattern(field, f"{written} [A-H]", f"{reason} of a part of a place", sure * 1.1)


def _of_who_writes(around: Around, field: Field) -> bool:
    """Whether it is the name of somebody who has a mail address here: `installer_name` beside `installer_email`."""
    *owner, _ = around.words[field.name]
    does = bool(owner) and owner[-1].endswith(("er", "or", "ant", "ist", "ee")) and what_is(owner[-1]) is None
    does = does or (len(owner) == 1 and owner[0] not in around.vocabulary.known)  # pi_nm beside pi_eml
    return does and not {(*owner, "email"), (*owner, "email", "address"), (*owner, "mail")}.isdisjoint(around.words.values())


_OF_PROGRAMS = tuple(
    "base url/root url/redirect uri/redirect url/secret/protocol/grant type/grant types/scopes/client secret/confidential/"
    "client id/client uri".split("/")
)
_NUMBERED = frozenset("one two three first second third a b 1 2 3 4".split())


def _owner(around: Around, field: Field) -> tuple[str, tuple[str, ...]]:
    """The noun whose name a field holds, and the one before it where that may tell more."""
    head, before = around.head, around.noun[-2:-1] if around.head in _OF_THE_NOUN_BEFORE else ()
    if len(around.words[field.name]) > 1:  # `caller_name` is of a caller, whatever the entity is
        told = [word for word in around.words[field.name][:-1] if word not in _NUMBERED]
        owner = singular(told[-1]) if told else ""
        if what_is(owner) is not None:
            head, before = owner, ()
    if head == "profile" and before and what_is(before[0]) is None:  # of a roast, a taste, a load
        return "", ()
    if head in PARTS_OF_PROGRAMS and around.of_systems:
        return "", ()
    machine = around.topic.within("network", "hosting", "software", "jobs", "devices", "web", "storage", "telephony")
    machine = machine or around.has(*_OF_PROGRAMS)
    if head in _MACHINES and machine and not around.has("first name", "last name", "birth date"):
        return "machine", ()
    return head, before


_KINDS = {
    "person": "name",
    "firm": "organization",
    "vessel": "vessel-name",
    "place": "town",
    "landmark": "place-name",
    "animal": "thing-name",
}


def _of_noun(around: Around, field: Field, noun: str, reason: str, sure: float) -> Guessed | None:
    """What a noun is called that is known to be a person, a firm, a vessel, a place or an animal."""
    what = what_is(noun)
    kind = _KINDS.get(what or "")
    if kind is None or not fits(kind, field):
        return None
    said = f"{reason} of {'an' if what == 'animal' else 'a'} {what}, by its entity"
    if kind == "thing-name":
        return of_named_kind(kind, said, sure, topic="animals")
    return of_kind(around, field, kind, {"row": "place"} if kind == "town" else {}, said, sure)


def _beside_what_persons_have(around: Around, head: str) -> bool:
    """Whether an entity that nothing is known of has fields that persons have."""
    unknown = what_is(head) is None and head not in by_noun()
    works = around.has("specialty", "hire date", "admission date") and around.has("email", "mobile", "phone")
    born = around.has("birth date", "born on", "gender", "date of birth", "birthday")
    return (unknown and works) or (born and all("breed" not in words for words in around.words.values()))


_ITS_NAMES = (("display", "name"), ("full", "name"), ("label", "name"), ("public", "name"), ("internal", "name"))


def _has_own_names(around: Around, head: str) -> bool:
    """Whether the trade has names for just this noun."""
    own = around.topic
    told = own.has(f"of {head}") or (len(around.noun) > 1 and own.has(f"of {' '.join(around.noun[-2:])}"))
    return told and is_of_trade(around, own.name)


_OF_PLAYERS = ("captain", "league", "wins", "losses", "coach", "mascot", "home ground", "squad size", "points for")
_TEAMS = frozenset("team squad department division".split())


def _of_thing(around: Around, field: Field, head: str, reason: str, sure: float) -> Guessed:
    """A thing's own list of names where its trade has one; an animal's; else a name of a thing of the trade."""
    own, pair = around.topic, f"of {' '.join(around.noun[-2:])}"
    if len(around.noun) > 1 and own.has(pair):
        return of_named_kind("thing-name", f"{reason}, {pair}", sure, list=pair)
    if head in _TEAMS and own.within(*SYSTEMS, "projects", "groups", NEUTRAL) and own.language == "en":
        return of_named_kind("thing-name", f"{reason} of a {head}", sure, topic="groups", list="of team")
    of_head = f"of {head}" if own.has(f"of {head}") else LISTS.get(head, "") if head not in own.nouns[:2] else ""
    if own.has(of_head):
        if of_head in LISTS.values():
            return of_named_kind("thing-name", f"{reason} of one of its trade's {of_head}", sure, list=of_head)
        said = f"{reason} of {with_article(head)}, by its entity"
        return of_named_kind("thing-name", said, sure, list=of_head)
    if own.within("animals", "veterinary") and around.has("breed", "species"):
        return of_named_kind("thing-name", f"{reason} of an animal, beside its breed", sure, topic="animals")
    if (unknown := _of_unknown(around, field, head, reason, sure)) is not None:
        return unknown
    return of_named_kind("thing-name", f"{reason} of a thing", sure)


_REACHED = ("phone", "mobile", "email", "telephone", "birth date", "hourly rate")
_SAYS_NOTHING = frozenset("thing object stuff test example demo element widget something".split())


def _of_unknown(around: Around, field: Field, head: str, reason: str, sure: float) -> Guessed | None:
    """A noun that no trade knows, with a letter or a number: a regatta is called Regatta 7, not like what offices hold."""
    own = around.topic
    named = own.name != NEUTRAL or own.language != "en" or around.entity.words
    if named or len(head) < 4 or head in VAGUE | _SAYS_NOTHING or not is_noun(head):
        return None
    told = f"{reason} of {with_article(head)}, of which nothing else is known"
    if head.endswith(("er", "or", "ist", "ant")) and not is_tool(head) and around.has(*_REACHED) and fits("name", field):
        return of_named_kind("name", f"{reason} of {with_article(head)}, who can be reached", sure)
    return by_pattern(field, f"{head.capitalize()} ([A-H]|[1-9][0-9]?)", told, sure)


def prefixed(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """What stands before a person's name, where there is such a name."""
    if around.has("first name", "last name", "middle name", "given name"):
        return by_words(field, read_pairs("Mr:46, Ms:44, Dr:8, Prof:2"), f"{reason}, of a person", sure)
    reached = around.has("street", "street 1", "zip", "zip code", "city", "phone", "email", "gsm", "mobile")
    if reached and around.words[field.name] == ("prefix",):
        return by_words(field, read_pairs("Mr:36, Ms:34, Dr:10, The:14, Prof:6"), f"{reason}, of who can be reached", sure)
    return None


def functioned(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """What somebody does, of a person; else nothing."""
    person = what_is(around.head) in ("person", "firm") or around.has("first name", "last name", "email", "mobile", "phone")
    return of_kind(around, field, "job-title", {}, reason, sure) if person else None


def fullnamed(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """The full name of a person; of a thing, which has a short name beside it or is none that has a person's name."""
    beside = around.has("short name", "abbreviation", "shortname", "mnemonic", "symbol", "ticker", "namespace", "iso code")
    thing = what_is(around.head) is None and (beside or around.head in by_noun())
    persons = around.has(
        "email", "phone", "mobile", "first name", "last name", "username", "birth date", "login", "gender", "address"
    )
    if thing and not persons:
        if (one := called_by_noun(around, field, reason, sure)) is not None and not _has_own_names(around, around.head):
            return one
        return of_named_kind("thing-name", f"{reason}, of a thing", sure) if has_room(field, 3) else None
    return of_kind(around, field, "name", {}, reason, sure)


_OF_THINGS = frozenset("group type category class item card plan list role note file document event account order line".split())
