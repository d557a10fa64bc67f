"""Numbers whose range hangs on what they are of: prices, taxes, weights, temperatures, shares, sizes of pictures, grades."""

from __future__ import annotations

from ..model import Field, FieldType, TypeName
from .around import Around, Context, Guessed, default_of
from .nouns import ANIMALS, PERSONS, what_is
from .offers import by_number, by_words, read_pairs


def below_ten(kind: FieldType) -> bool:
    """Whether a decimal has at most one digit before its point: a share then, and no percentage."""
    return kind.precision is not None and kind.precision - (kind.scale or 0) <= 1


_RATES = {
    "en": (("20", 72.0), ("5", 22.0), ("12.5", 6.0)),
    "de": (("19", 76.0), ("7", 24.0)),
    "fr": (("20", 68.0), ("10", 16.0), ("5.5", 16.0)),
    "es": (("21", 72.0), ("10", 20.0), ("4", 8.0)),
}


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


_OF_BODIES = (
    "blood type",
    "blood group",
    "bmi",
    "body mass index",
    "pulse",
    "heart rate",
    "blood pressure systolic",
    "systolic",
    "bp systolic",
    "bp sys",
    "height cm",
    "height centimetres",
    "weight kg",
    "weight kilograms",
)
_WEIGHED = ("passenger name", "patient name", "rider name", "participant name", "athlete name", "jumper name", "donor name")
_OF_PERSONS = ("birth date", "first name", "last name", "stage name", "squad", *_WEIGHED)
_CARRIED = frozenset("bag baggage luggage parcel item".split())
_OF_THINGS = ("width", "depth", "length", "diameter", "thickness")


def of_somebody(around: Around, field: Field) -> bool:
    """Whether what a row measures is somebody's body: of a person, by the entity's noun or by what else is told; a thing has a
    width."""
    if around.head in ANIMALS or around.head in _CARRIED or any(set(_OF_THINGS) & set(words) for words in around.words.values()):
        return False
    others = [name for name in _OF_BODIES if name.split()[0] not in around.words[field.name]]
    return around.head in PERSONS or what_is(around.head) == "person" or around.has(*others, *_OF_PERSONS)


def _weight(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    of_body = of_somebody(around, field)
    if around.words[field.name][-1:] in (("lb",), ("lbs",), ("pounds",)):
        return by_number(field, "106 230 hump" if of_body else "0.8 190 tail", reason, sure)
    return by_number(field, "48 104 hump" if of_body else "0.4 85 tail", reason, sure)


def _minuted(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """The minutes of a time of day, beside its hour; how long something lasts is told elsewhere."""
    stem = around.words[field.name][:-1]
    if (*stem, "hour") not in around.words.values():
        return None
    return by_words(field, read_pairs("0:58, 30:28, 15:8, 45:6"), f"{reason}, beside its hour", sure)


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
    if {"furnace", "kiln", "forge", "crucible", "smelter", "foundry", "firing", "glaze", "clay", "melt", "casting"} & set(
        around.noun
    ):
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


_PICTURES = frozenset("video image thumbnail thumb photo screenshot frame picture icon avatar banner dimension".split())


def _by_picture(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """By how much a picture is made brighter, sharper, more colourful: 1 leaves it as it is."""
    if not around.has("contrast", "sharpness", "saturation", "gamma") or not ({*around.noun} & _PICTURES or around.has("color")):
        return None
    return by_words(field, read_pairs("1.0:58, 1.2:14, 0.8:12, 1.5:8, 0.5:8"), f"{reason}, of a picture", sure)


_LINES = frozenset("border stroke line pen margin outline edge".split())


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
    shown = around.head in _PICTURES or (around.has("width") and around.has("height", "fps", "codec"))
    if not file and not shown and not around.topic.within("photography", "files", "film"):
        return None
    default = default_of(field) or ""
    if _LINES & set(around.words[field.name]) or (default.isdecimal() and 0 < int(default) < 64):
        return None  # of a line, or in places of a grid
    if {"thumbnail", "thumb", "icon", "avatar", "dimension"} & {around.head, *around.noun[-2:-1]}:
        return by_words(field, read_pairs("120:30, 240:24, 64:20, 320:16, 480:10"), f"{reason}, of a small picture", sure)
    usual = "1920:26, 1280:20, 1024:14, 800:14, 640:10, 3840:8, 2560:8" if around.words[field.name][-1] == "width" else (
        "1080:26, 720:20, 768:14, 600:14, 480:10, 2160:8, 1440:8")  # fmt: skip
    return by_words(field, read_pairs(usual), f"{reason}, of a picture", sure)


def _graded(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """Of a hundred where the number has room for that, else one to five."""
    kind = field.type
    wide = kind.precision is not None and kind.precision - (kind.scale or 0) >= 3
    hundred = wide or kind.precision is None or around.has("grade maximum", "maximum grade", "maximum points", "maximum score")
    return by_number(field, "20 100 hump" if hundred else "1 5 hump", reason, sure)


OF_NUMBERS: dict[str, Context] = {
    "taxrate": _taxrate,
    "price": _price,
    "weight": _weight,
    "percent": _percent,
    "minuted": _minuted,
    "temperature": _temperature,
    "rank": _rank,
    "bypicture": _by_picture,
    "pixelwide": _pixels,
    "pixelhigh": _pixels,
    "graded": _graded,
}
