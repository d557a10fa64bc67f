"""Structured values are what their names say: JSON of a known shape, and texts that the readers of their formats accept."""

from __future__ import annotations

import base64
import csv
import io
import json
import re
import struct
import zlib
from collections.abc import Callable
from html.parser import HTMLParser
from pathlib import Path
from typing import Any
from xml.etree import ElementTree

import pytest
from ruamel.yaml import YAML

import weltigen
from weltigen.infer.concepts import known_names, matching
from weltigen.model import TypeName
from weltigen.values.structured import known_shapes


def columns_of(names: list[str], kind: str, entity: str = "gadget") -> dict[str, list[Any]]:
    """Values of columns of one type, by their names."""
    world = weltigen.read_model(
        f"CREATE TABLE {entity} (id integer PRIMARY KEY, {', '.join(f'{name} {kind} NOT NULL' for name in names)})",
        dialect="postgresql",
    )
    frame = world.dataset(rows={entity: 120}).frame(entity)
    return {name: frame[name].tolist() for name in names}


SHAPES: dict[str, Callable[[Any], bool]] = {
    "permissions scopes": lambda v: all(isinstance(one, str) and ":" in one for one in v),
    "contact owner recipient": lambda v: " " in v["name"] and "@" in v["email"],
    "members passengers reviewers": lambda v: len(v) >= 1 and all(" " in one for one in v) and len(set(v)) == len(v),
    "dimensions package_dimensions": lambda v: {"length", "width", "height", "unit"} == set(v) and v["length"] > 0,
    "prices fees": lambda v: v["reduced"] > 0 and v["currency"] in ("GBP", "EUR"),
    "images photos": lambda v: all(one.endswith(".jpg") for one in v),
    "attachments files": lambda v: all({"name", "size", "type"} == set(one) for one in v),
    "answers form_data": lambda v: 1 <= v["question_2"] <= 5,
    "steps checklist": lambda v: len(v) >= 2 and all(isinstance(one["done"], bool) for one in v),
    "history timeline": lambda v: all(re.fullmatch(r"\d{4}-\d\d-\d\dT.*Z", one["at"]) for one in v),
    "bbox extent": lambda v: v["west"] < v["east"] and v["south"] < v["north"],
    "boundary geofence": lambda v: (
        v["type"] == "Polygon" and all(ring[0] == ring[-1] and len(ring) >= 4 for ring in v["coordinates"])
    ),
    "track gps_track": lambda v: v["type"] == "LineString" and len(v["coordinates"]) >= 2,
    "location coordinates": lambda v: v["type"] == "Point" and -90 <= v["coordinates"][1] <= 90,
    "error last_error": lambda v: {"code", "message"} == set(v["error"]),
    "scores ratings": lambda v: all(1 <= one <= 5 for one in v.values()),
    "feature_flags toggles": lambda v: all(isinstance(one, bool) for one in v.values()),
    "readings samples": lambda v: len(v) >= 4 and all(isinstance(one, int | float) for one in v),
    "phone_numbers": lambda v: all(one.startswith("+") for one in v),
    "emails": lambda v: all("@" in one for one in v),
    "languages": lambda v: all(len(one) == 2 for one in v),
    "tags keywords": lambda v: all(isinstance(one, str) for one in v),
    "settings preferences": lambda v: isinstance(v, dict) and "language" in v,
    "repairs lanterns": lambda v: isinstance(v, list) and all(isinstance(one, str) for one in v),
    "inspection manifest": lambda v: isinstance(v, dict) and isinstance(v["name"], str),
}


@pytest.mark.parametrize("names", SHAPES)
def test_json_has_the_shape_that_its_name_tells(names: str) -> None:
    for name, values in columns_of(names.split(), "jsonb").items():
        read = [json.loads(text) for text in values]
        wrong = [one for one in read if not SHAPES[names](one)]
        assert not wrong and len({json.dumps(one) for one in read}) > 2, (name, wrong[:2])


def test_every_shape_that_a_concept_names_is_known_and_kept_by_a_database(tmp_path: Path) -> None:
    """PostgreSQL keeps the keys of jsonb by their lengths: what comes back must be the text that went in."""
    told = {found.concept.arguments.split()[0] for words in known_names() for found in matching(words)
            if found.concept.what == "json" and TypeName.JSON in found.concept.types}  # fmt: skip
    assert told <= known_shapes(), told - known_shapes()

    def in_order(value: Any) -> bool:
        if isinstance(value, dict):
            keys = list(value)
            return keys == sorted(keys, key=lambda key: (len(key.encode()), key)) and all(map(in_order, value.values()))
        return all(map(in_order, value)) if isinstance(value, list) else True

    for shape in sorted(known_shapes()):
        text = f"weltigen: 3\nentities: {{gadget: {{rows: 60, fields: {{doc: {{type: jsonb, kind: {{json: {{for: {shape}}}}}}}}}}}}}\n"
        (tmp_path / "w.yaml").write_text(text)
        documents = [
            json.loads(one) for one in weltigen.open_world(tmp_path / "w.yaml").dataset().frame("gadget")["doc"].dropna()
        ]
        assert documents and all(map(in_order, documents)), shape


def is_png(octets: bytes) -> bool:
    """Whether it is a picture: its chunks with their sums, and as many octets as its size asks for (ISO/IEC 15948)."""
    assert octets[:8] == b"\x89PNG\r\n\x1a\n"
    at, chunks = 8, {}
    while at < len(octets):
        (length,), name = struct.unpack(">I", octets[at : at + 4]), octets[at + 4 : at + 8]
        data = octets[at + 8 : at + 8 + length]
        assert struct.unpack(">I", octets[at + 8 + length : at + 12 + length])[0] == zlib.crc32(name + data)
        chunks[name], at = data, at + 12 + length
    width, height = struct.unpack(">II", chunks[b"IHDR"][:8])
    return len(zlib.decompress(chunks[b"IDAT"])) == height * (1 + 3 * width)


def is_html(text: str) -> bool:
    opened: list[str] = []

    class Reader(HTMLParser):
        def handle_starttag(self, tag: str, attrs: Any) -> None:
            opened.append(tag)

        def handle_endtag(self, tag: str) -> None:
            assert opened.pop() == tag

    Reader().feed(text)
    return not opened and "<p>" in text


FORMATS: dict[str, Callable[[str], Any]] = {
    "svg logo_svg": lambda t: ElementTree.fromstring(t).tag.endswith("svg"),
    "xml_payload response_xml": ElementTree.fromstring,
    "config_yaml": lambda t: YAML(typ="safe").load(t)["title"],
    "body_html page_html": is_html,
    "body_markdown readme": lambda t: t.startswith("## ") and "\n\n- " in t,
    "ical ics": lambda t: t.startswith("BEGIN:VCALENDAR\r\n") and t.endswith("END:VCALENDAR\r\n") and "SUMMARY:" in t,
    "csv_data table_csv": lambda t: len({len(row) for row in csv.reader(io.StringIO(t))}) == 1,
    "vcard": lambda t: t.startswith("BEGIN:VCARD") and "FN:" in t,
    "certificate_pem ca_cert": lambda t: base64.b64decode("".join(t.split("\n")[1:-2])),
    "avatar_data_url image_data_url": lambda t: is_png(base64.b64decode(t.partition("base64,")[2])),
    "custom_css": lambda t: re.fullmatch(r"\.\w+ \{( [\w-]+: [^;]+;)+ \}", t),
}


@pytest.mark.parametrize("names", FORMATS)
def test_texts_in_a_format_can_be_read_by_others(names: str) -> None:
    for name, values in columns_of(names.split(), "text").items():
        assert len(set(values)) > 10 and all(FORMATS[names](text) for text in values), (name, values[0])


def test_pictures_are_pictures() -> None:
    for name, values in columns_of(["photo", "thumbnail", "logo_png"], "bytea").items():
        assert all(map(is_png, values)), name
