"""What structured values of common names look like: as shapes in words of JSON Schema, with the words of the row's topic."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from .vocabulary import Topic, listed

Shape = dict[str, Any]


def _kind(name: str, **parameters: str) -> Shape:
    return {"kind": {name: parameters} if parameters else name}


def _one(*values: Any) -> Shape:
    return {"enum": list(values), **({"type": "string"} if all(isinstance(value, str) for value in values) else {})}


def _whole(least: int, most: int, step: int = 1) -> Shape:
    return {"type": "integer", "minimum": str(least), "maximum": str(most), "multipleOf": str(step)}


def _amount(least: float, most: float, step: str = "0.01") -> Shape:
    return {"type": "number", "minimum": str(least), "maximum": str(most), "multipleOf": step}


def _object(*, sometimes: tuple[str, ...] = (), **properties: Shape) -> Shape:
    named = {name.rstrip("_"): shape for name, shape in properties.items()}
    return {"type": "object", "properties": named, "required": [name for name in named if name not in sometimes]}


def _list(items: Shape, least: int = 1, most: int = 3) -> Shape:
    return {"type": "array", "items": items, "minItems": str(least), "maxItems": str(most)}


def _said(own: Topic, name: str) -> Shape:
    """A word of one of the topic's lists."""
    return _one(*own.words(name)) if own.has(name) else _one(*own.words("kinds"))


def _moment() -> Shape:
    return {"type": "string", "kind": "moment"}


_FLAG: Shape = {"type": "boolean"}
_COLOUR = _kind("hex-colour")
_VERBS = ("read", "write", "create", "delete", "export")


def _permissions(own: Topic) -> Shape:
    noun = own.nouns[0] if own.nouns else "record"
    return _list(_one(*(f"{of}:{verb}" for of in (noun, "user", "report") for verb in _VERBS)), 1, 4)


def _specified(own: Topic) -> Shape:
    """What a thing is like: of what it is made, how heavy; of a part of a system, how it is set up."""
    if own.name in listed("topics of systems"):
        version = {"pattern": "[1-9]\\.[0-9]\\.[0-9]"}
        return _object(port=_whole(1024, 9900), version=version, enabled=_FLAG, path=_one("/var/lib", "/srv/data", "/opt/app"))
    made_of = {"material": _said(own, "materials")} if own.has("materials") else {}
    return _object(**made_of, colour=_kind("colour-name"), weight_kg=_amount(0.1, 40, "0.1"), sometimes=("colour",))


def _polygon(own: Topic) -> Shape:
    corners = ((0.0, 0.0), (0.04, 0.0), (0.03, 0.02), (0.0, 0.0))
    rings = ([[round(at / 50 - 2 + east, 4), round(at / 80 + 51 + north, 4)] for east, north in corners] for at in range(40))
    return _object(type=_one("Polygon"), coordinates=_one(*([ring] for ring in rings)))


def _line(own: Topic) -> Shape:
    ways = [
        [[round(-1.5 + at / 40 + step / 100, 4), round(52 + at / 60 + step * step / 900, 4)] for step in range(5)]
        for at in range(40)
    ]
    return _object(type=_one("LineString"), coordinates=_one(*ways))


_ERRORS = (
    ("timeout", "no answer within 30 s"),
    ("not_found", "the record is gone"),
    ("invalid_input", "a required value is missing"),
    ("conflict", "somebody else changed it"),
    ("unavailable", "try again later"),
)
SHAPES: dict[str, Callable[[Topic], Shape]] = {
    "permissions": _permissions,
    "roles": lambda own: _list(_one("admin", "editor", "viewer", "auditor", "operator"), 1, 2),
    "person": lambda own: _object(name=_kind("name"), email=_kind("email"), phone=_kind("tel"), sometimes=("phone",)),
    "persons": lambda own: _list(_kind("other-person"), 1, 4),
    "dimensions": lambda own: _object(
        length=_amount(5, 180, "0.5"), width=_amount(5, 120, "0.5"), height=_amount(2, 90, "0.5"), unit=_one("cm")
    ),
    "specifications": _specified,
    "filters": lambda own: _object(
        status=_one("open", "closed", "all"),
        from_={"pattern": "202[45]-(0[1-9]|1[0-2])-(0[1-9]|1[0-9]|2[0-8])"},
        text=_said(own, "things"),
        sometimes=("from", "text"),
    ),
    "rules": lambda own: _list(
        _object(
            field=_one("status", "total", "kind", "created_at"),
            operator=_one("equals", "greater_than", "contains", "before"),
            value=_said(own, "kinds"),
        ),
        1,
        2,
    ),
    "actions": lambda own: _list(
        _object(type=_one("send_email", "call_webhook", "add_tag", "assign", "set_status"), after_minutes=_whole(0, 60, 5)), 1, 2
    ),
    "answers": lambda own: _object(
        question_1=_one("yes", "no", "not sure"),
        question_2=_whole(1, 5),
        question_3=_said(own, "kinds"),
        remark=_kind("remark"),
        sometimes=("remark",),
    ),
    "choices": lambda own: _list(_said(own, "kinds"), 2, 4),
    "links": lambda own: _object(website=_kind("uri"), photos=_kind("uri"), videos=_kind("uri"), sometimes=("photos", "videos")),
    "images": lambda own: _list({"pattern": "/media/202[345]/(0[1-9]|1[0-2])/photo-[1-9][0-9]{0,2}\\.jpg"}, 1, 4),
    "files": lambda own: _list(
        _object(
            name=_kind("file-name"),
            size=_whole(2_000, 4_000_000),
            type=_one("application/pdf", "image/jpeg", "image/png", "text/csv"),
        ),
        1,
        3,
    ),
    "prices": lambda own: _object(standard=_amount(4, 180, "0.5"), reduced=_amount(2, 90, "0.5"), currency=_one("GBP", "EUR")),
    "money": lambda own: _object(amount=_amount(2, 900), currency=_one("GBP", "EUR", "USD")),
    "nutrition": lambda own: _object(
        energy_kj=_whole(90, 2200, 10),
        fat_g=_amount(0, 40, "0.1"),
        carbohydrate_g=_amount(0, 80, "0.1"),
        protein_g=_amount(0, 30, "0.1"),
        salt_g=_amount(0, 3, "0.01"),
    ),
    "device": lambda own: _object(
        os=_one("Android 14", "iOS 17.5", "Windows 11", "macOS 14", "Ubuntu 24.04"),
        browser=_one("Firefox 126", "Chrome 125", "Safari 17"),
        screen=_one("1920x1080", "1080x2400", "2560x1440", "1366x768"),
        mobile=_FLAG,
    ),
    "error": lambda own: _object(
        error=_one(*({"code": code, "message": message} for code, message in _ERRORS)), attempt=_whole(1, 5)
    ),
    "steps": lambda own: _list(_object(title=_said(own, "things"), done=_FLAG), 2, 4),
    "log": lambda own: _list(
        _object(at=_moment(), event=_one("created", "updated", "assigned", "closed", "reopened"), by=_kind("other-person")), 1, 3
    ),
    "eventnames": lambda own: _list(
        _one("user.created", "user.deleted", "order.paid", "invoice.sent", "file.uploaded", "login.failed"), 1, 3
    ),
    "recurrence": lambda own: _object(
        frequency=_one("daily", "weekly", "monthly"),
        interval=_whole(1, 4),
        days=_list(_one("mon", "tue", "wed", "thu", "fri"), 1, 2),
        sometimes=("days",),
    ),
    "layout": lambda own: _list(
        _object(type=_one("text", "table", "chart", "image", "list"), title=_said(own, "things"), width=_one(3, 4, 6, 12)), 1, 4
    ),
    "document": lambda own: _object(
        type=_one("doc"), content=_list(_object(type=_one("paragraph"), text={"kind": {"text": {"purpose": "remark"}}}), 1, 3)
    ),
    "theme": lambda own: _object(
        primary=_COLOUR, secondary=_COLOUR, background=_one("#ffffff", "#fafafa", "#101418"), dark=_FLAG
    ),
    "connection": lambda own: _object(
        endpoint=_kind("uri"), timeout=_one(5, 10, 30, 60), retries=_whole(0, 5), enabled=_FLAG, sometimes=("retries",)
    ),
    "environment": lambda own: _object(
        LOG_LEVEL=_one("info", "warning", "debug"),
        TZ=_one("UTC", "Europe/London", "Europe/Berlin"),
        PORT=_one("8080", "3000", "5000", "9000"),
        sometimes=("TZ",),
    ),
    "labels": lambda own: _object(
        app=_one("web", "api", "worker", "cache", "mail"),
        tier=_one("frontend", "backend", "data"),
        team=_one("core", "ops", "search"),
    ),
    "ports": lambda own: _list(
        _object(host=_one(8080, 8443, 3306, 5432, 6379), container=_one(80, 443, 3306, 5432, 6379), protocol=_one("tcp", "udp")),
        1,
        2,
    ),
    "arguments": lambda own: _list(
        _one("--verbose", "--limit=20", "--force", "--quiet", "--format=json", "--since=yesterday"), 0, 3
    ),
    "configured": lambda own: _object(
        enabled=_FLAG,
        mode=_one("automatic", "manual", "scheduled"),
        limit=_one(5, 10, 20, 50, 100),
        interval_minutes=_one(5, 15, 30, 60),
        notify=_kind("email"),
        sometimes=("limit", "interval_minutes", "notify"),
    ),
    "quota": lambda own: _object(
        users=_one(5, 10, 25, 100), storage_mb=_one(512, 1024, 5120, 20480), requests_per_day=_one(1000, 5000, 20000)
    ),
    "feeling": lambda own: _object(label=_one("positive", "neutral", "negative"), score=_amount(0.5, 0.99, "0.01")),
    "foreign_ids": lambda own: _object(
        crm={"pattern": "[1-9][0-9]{5}"},
        billing={"pattern": "[A-Z]{2}[0-9]{6}"},
        support=_whole(1000, 99_000),
        sometimes=("billing", "support"),
    ),
    "resources": lambda own: _object(cpu=_one("250m", "500m", "1", "2"), memory=_one("256Mi", "512Mi", "1Gi", "4Gi")),
    "scores": lambda own: _object(quality=_whole(1, 5), service=_whole(1, 5), price=_whole(1, 5)),
    "toggles": lambda own: _object(new_search=_FLAG, export=_FLAG, beta_reports=_FLAG, sms=_FLAG),
    "payment": lambda own: _object(
        method=_one("card", "transfer", "direct debit", "cash"),
        last4={"pattern": "[0-9]{4}"},
        expires={"pattern": "20(2[6-9]|30)-(0[1-9]|1[0-2])"},
    ),
    "channels": lambda own: _object(email=_FLAG, push=_FLAG, sms=_FLAG),
    "box": lambda own: _object(
        west=_amount(-3, -1, "0.001"),
        south=_amount(50, 52, "0.001"),
        east=_amount(-0.9, 1.5, "0.001"),
        north=_amount(52.1, 54, "0.001"),
    ),
    "polygon": _polygon,
    "line": _line,
    "seo": lambda own: _object(title=_said(own, "names"), description={"kind": {"text": {"purpose": "remark"}}}),
    "versions": lambda own: _object(
        core={"pattern": ">=[1-4]\\.[0-9]"}, search={"pattern": "[1-3]\\.[0-9]\\.[0-9]"}, sometimes=("search",)
    ),
    "numbers": lambda own: _list(_amount(0, 120, "0.1"), 4, 8),
    "ids": lambda own: _list(_whole(1, 400), 1, 4),
    "things": lambda own: _list(_said(own, "things"), 1, 3),
    "issues": lambda own: _list(_said(own, "issues"), 1, 2),
    "materials": lambda own: _list(_said(own, "materials"), 2, 5),
    "languages": lambda own: _list(_one("en", "de", "fr", "es", "it", "nl", "pl"), 1, 3),
    "colours": lambda own: _list(_kind("colour-name"), 1, 3),
    "weights": lambda own: _object(
        low=_amount(0.1, 0.3, "0.05"), middle=_amount(0.3, 0.5, "0.05"), high=_amount(0.1, 0.4, "0.05")
    ),
    "votes": lambda own: _object(for_=_whole(0, 120), against=_whole(0, 60), abstained=_whole(0, 20)),
    "thing": lambda own: _object(
        name=_said(own, "things"), kind=_said(own, "kinds"), quantity=_whole(1, 9), sometimes=("quantity",)
    ),
}
