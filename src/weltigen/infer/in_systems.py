"""Guesses that only systems know: machines and interfaces, directories, address books, repositories, classes of programs."""

from __future__ import annotations

from dataclasses import replace

from ..model import Field, TypeName
from .around import Around, Context, Guessed
from .called import named
from .codes import code_pattern
from .naming.values import in_language
from .nouns import SYSTEMS, what_is
from .of_row import of_kind
from .offers import as_json, by_pattern, by_words, has_room, of_named_kind, read_pairs


def other_table(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    others = [other.name.rpartition(".")[2] for other in around.world.entities if other.name != around.entity.name][:6]
    return by_words(field, tuple((name, 1.0) for name in others if has_room(field, len(name))), reason, sure) if others else None


def _revised(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """What a repository calls a state of its files; of a drawing or a document its letter or number."""
    made = {"commit", "changeset", "build", "checkout"} & set(around.noun) or around.has("branch", "commit", "repository")
    if not (around.topic.within(*SYSTEMS) or made) or not has_room(field, 40):
        return None
    return by_pattern(field, "[0-9a-f]{40}", f"{reason}, of a repository", sure)


def _vcard_named(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """The formatted name of an address book's entry (RFC 6350)."""
    told = {"vcard", "addressbook", "contact", "book", "card"} & set(around.noun) or around.has(
        "n", "email", "org", "bday", "tel"
    )
    return of_kind(around, field, "name", {}, f"{reason}, of an address book", sure) if told else None


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
    return other_table(around, field, reason, sure)


def _method(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    own = around.topic
    if own.within("network", "web", "software", "accounts") or around.has("status code", "url", "path", "user agent"):
        return by_words(field, read_pairs("GET:64, POST:24, PUT:6, DELETE:4, PATCH:2"), reason, sure)
    if not own.has("methods"):
        return by_words(field, in_language(_WAYS, around.vocabulary.language), f"{reason}, of which nothing is known", sure)
    return of_named_kind("term", reason, sure, list="methods")


_WAYS = (("manual", 40.0), ("automatic", 34.0), ("standard", 16.0), ("online", 10.0))


def _path(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    own = around.topic
    web = (
        own.within("web")
        or around.has("method", "status code", "user agent", "referer", "http status")
        or around.head in ("page", "route", "menu")
    )
    if ("depth",) in around.words.values() or around.has(
        "numchild", "child count", "number child", "steplen"
    ):  # of a tree kept as paths
        return by_pattern(field, "0001(00[0-9][1-9]){0,2}", f"{reason}, of a tree", sure)
    if around.has("bitrate", "bit rate", "play count", "track number", "disc number", "genre", "album"):
        return by_pattern(
            field,
            "/music/(Album|Best of|Live|Sessions) [0-9]{1,2}/(0[1-9]|1[0-2]) - Track [0-9]{1,3}\\.(flac|mp3|ogg)",
            reason,
            sure,
        )
    of = "source" if own.within("software", "releases") else "files"
    return of_kind(around, field, "url-path" if web else "file-path", {} if web else {"of": of}, reason, sure)


def _eventtype(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    return of_named_kind("term", reason, sure, list="events") if has_room(field, 14) else None


def _zoned(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    own = around.topic
    if {"availability", "failure", "compute", "fault"} & set(around.noun):
        return _zone_named(around, field, reason, sure)
    if own.within("network", "web") or around.head in ("dns", "record", "zone", "domain") or around.has("ttl", "nameserver"):
        return of_kind(around, field, "domain-name", {}, reason, sure)
    return None


def _versioned(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """A release's tag is its version."""
    built = around.has("commit", "sha", "repository", "release", "digest", "checksum", "released at", "download url")
    if around.head in ("release", "version", "image", "artifact", "build", "package") or (around.head == "tag" and built):
        return of_named_kind("version", f"{reason}, of a {around.head}", sure) if has_room(field, 8) else None
    return of_named_kind("term", reason, sure * 0.7, list="tags") if has_room(field, 8) else None


def _branched(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """A line of development where software is made, else a house of a firm."""
    if around.topic.within("projects", *SYSTEMS) or around.has("commit", "commit sha", "repository", "sha"):
        return of_named_kind("git-branch", reason, sure)
    if not has_room(field, 20):
        return by_pattern(field, "[A-Z]{2,3}[0-9]{1,2}", reason, sure)
    return of_kind(around, field, "town", {}, f"{reason}, of a firm", sure)


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


def _agent(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """A browser where an address of the network stands beside it, else somebody who acts for others."""
    if around.has("ip", "ip address", "remote address", "referer", "session"):
        return of_named_kind("user-agent", f"{reason}, beside an address", sure)
    return of_kind(around, field, "other-person", {}, reason, sure)


def _eventname(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """The key of an event where machines log or send it, else what an event is called."""
    if around.topic.within("software", "logs", "jobs", "web", "network", "security", "messages") or "log" in around.noun:
        return _eventtype(around, field, reason, sure)
    if around.words[field.name] == ("name",):
        return named(around, field, reason, sure)
    return of_named_kind("thing-name", f"{reason}, of a thing", sure) if has_room(field, 4) else None


def _limited_to(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """What a program may use of a machine, or an account of a service."""
    machine = around.topic.within("hosting", "network", "machines", "jobs", "databases", "storage", "devices")
    return as_json(field, "resources" if machine else "quota", f"{reason}, of {'a program' if machine else 'a plan'}", sure)


def _mailaddress(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """Whom a letter comes from or goes to, where the entity has what letters have; who is answered has no house."""
    own = around.words[field.name]
    written = own[-1:] == ("address",) and own[0] in ("reply", "cc", "bcc", "envelope", "bounce")
    if written or around.has("subject", "cc", "bcc", "message id", "reply to", "envelope", "mail", "email"):
        return of_kind(around, field, "email", {}, f"{reason}, of a letter", sure)
    return None


def _mailonly(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    return of_named_kind("message-id", reason, sure) if around.has("message id", "reply to", "subject") else None


_CLOTH = ("clothes", "fashion", "weaving", "knitting", "furniture", "crafts", "pottery", "tailoring", "pets", "animals")
_EXPRESSIONS = read_pairs(
    r"^INV-[0-9]+$:20, ^(mail|report)[._]:16, @example\.org$:18, (error|timeout):20, ^/feed/.+:14, [0-9]{4}-[0-9]{2}:12"
)


def _patterned(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """How cloth looks; what texts are searched for, where they are."""
    if around.topic.within(*_CLOTH) or around.has("colour", "fabric", "size", "material", "texture", "yarn"):
        return by_words(field, read_pairs("plain:50, striped:20, floral:16, checked:14"), f"{reason}, of cloth", sure)
    if field.room is None or field.room >= 20:
        return by_words(field, _EXPRESSIONS, f"{reason}, that texts are searched for", sure)
    return None


def _dns_valued(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """What a record of the domain name system says (RFC 1035), where it has a time to live; mostly an address."""
    return of_kind(around, field, "ipv4", {}, f"{reason}, beside a time to live", sure) if around.has("ttl") else None


def _signed_off(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """How letters end, of what writes some; of other things in systems what a key made of them (RFC 4648)."""
    writes = around.has("subject", "email", "body", "footer")
    writes = writes or around.topic.within("messages", "mailservers", "accounts", "forums")
    if writes or not around.topic.within(*SYSTEMS):
        return of_named_kind("text", reason, sure, purpose="signoff") if has_room(field, 8) else None
    return by_pattern(field, "[A-Za-z0-9+/]{86}==", f"{reason}, made by a key", sure) if has_room(field, 88) else None


def _zone_named(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """Where machines stand apart, so that not all of them fail at once."""
    if not around.topic.within(*SYSTEMS):
        return None
    return by_pattern(field, "(ap|ca|eu|me|sa|us)-(central|east|north|south|west)-[1-4][abc]", reason, sure)


def _exported(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """What a server of files offers, as clients mount it."""
    if not around.topic.within(*SYSTEMS):
        return None
    return by_pattern(field, r"192\.0\.2\.[1-9][0-9]:/(data|export|srv|volumes)/(backup|images|media|shared)[0-9]", reason, sure)


def _plugged_in(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """A part that a system is extended by; elsewhere a person or a firm."""
    login = around.has("client id", "client secret", "token", "access token", "subject", "user id", "state", "session")
    if login or not around.topic.within("hosting", "integrations", "network", "software", "storage"):
        return None
    return by_pattern(
        field, "(core|local|cloud|legacy|edge|secure)_(driver|backend|agent|plugin)", f"{reason}, a part of a system", sure
    )


def _runs(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """The name of a program that runs as a service."""
    if not (around.topic.within(*SYSTEMS) or around.head in ("service", "worker", "agent", "daemon")):
        return None
    return by_pattern(field, "(backup|image|job|mail|node|storage|volume)-(agent|api|manager|scheduler|worker)", reason, sure)


def _in_tree(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """How deep a row lies in a tree that is kept as paths or as left and right ends."""
    tree = around.has("path", "numchild", "child count", "children count", "left", "right", "lft", "rght", "tree id", "lineage")
    return by_words(field, read_pairs("2:40, 3:30, 1:14, 4:12, 5:4"), f"{reason}, in a tree", sure) if tree else None


def _password(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """In the form that a framework keeps, where the columns beside it are those of one."""
    if around.has("is superuser", "is staff") and around.has("last login") and field.room == 128:
        form = "django"
    elif around.has("security stamp", "concurrency stamp"):
        form = "aspnet"
    else:
        return None
    made = of_named_kind("password", f"{reason}, as {form} keeps them", sure, hash="pbkdf2", form=form)
    return replace(made, secret=True)


def _commented(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """What was changed, of a commit of a program."""
    told = around.has("committer", "commit hash", "revision")
    revised = "revision" in around.noun and (
        around.of_systems or around.has("hash", "sha", "branch", "repository", "author name")
    )
    if not {"commit", "changeset"} & set(around.noun) and not told and not revised:
        return None
    return of_named_kind("text", f"{reason}, of a change", sure, purpose="commit") if has_room(field, 20) else None


def _client_named(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """What a program calls itself that speaks to a server; elsewhere somebody who is a client."""
    program = around.has(
        "format", "bitrate", "client version", "user agent", "last seen", "redirect uri", "secret", "scopes", "device"
    )
    if not program and not around.topic.within(*SYSTEMS):
        return None
    return by_pattern(
        field, "(Desktop|Mobile|Web|Car|Kitchen|Office) (app|player|client)( [1-9])?", f"{reason}, a program", max(sure, 0.95)
    )


_OF_APPLICATIONS = ("software", "databases", "permissions", "logs", "web")


def _orm_model(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """A class of an application's own model, as frameworks keep it: `stock.move`; what a machine is sold as elsewhere."""
    if not around.topic.within(*_OF_APPLICATIONS) or around.has("serial number", "manufacturer"):
        return None
    names = [entity.name.rpartition(".")[2].replace("_", ".", 1) for entity in around.world.entities]
    return by_words(field, tuple((name, 1.0) for name in names[:: max(1, len(names) // 20)][:20]), f"{reason}, a model", sure)


def _orm_module(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """A part of an application; what students take elsewhere."""
    if not around.topic.within(*_OF_APPLICATIONS, "jobs"):
        return None
    parts = dict.fromkeys(entity.name.rpartition(".")[2].partition("_")[0] for entity in around.world.entities)
    told = tuple((part, 1.0) for part in parts if len(part) > 3)[:12]
    return by_words(field, told, f"{reason}, a part of the application", sure) if len(told) > 2 else None


IN_SYSTEMS: dict[str, Context] = {
    "ormmodel": _orm_model,
    "ormmodule": _orm_module,
    "clientnamed": _client_named,
    "digested": _password,
    "ofcommit": _commented,
    "treed": _in_tree,
    "zonenamed": _zone_named,
    "exported": _exported,
    "pluggedin": _plugged_in,
    "runs": _runs,
    "interfaced": _interfaced,
    "patterned": _patterned,
    "signoff": _signed_off,
    "dnsvalue": _dns_valued,
    "spanned": _spanned,
    "revised": _revised,
    "vcardnamed": _vcard_named,
    "ldapnamed": _ldap_named,
    "ldapgiven": _ldap_given,
    "ldapcommon": _ldap_common,
    "modelled": _modelled,
    "method": _method,
    "path": _path,
    "eventtype": _eventtype,
    "zoned": _zoned,
    "versioned": _versioned,
    "branched": _branched,
    "jobnamed": _jobnamed,
    "uided": _uided,
    "routed": _routed,
    "agent": _agent,
    "eventname": _eventname,
    "mailaddress": _mailaddress,
    "limitedto": _limited_to,
    "mailonly": _mailonly,
}
