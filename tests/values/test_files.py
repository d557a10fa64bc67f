"""Files of a row: what they are called, end in, are and where they lie agree; sizes are spread over decades."""

import base64
import io
import mimetypes
from pathlib import Path, PurePosixPath

import numpy as np
import pypdf
import pytest
from PIL import Image

import weltigen
from weltigen.model.problems import WeltigenError

CHART = """
CREATE TABLE chart (id serial PRIMARY KEY, filename varchar(120) NOT NULL, extension varchar(10) NOT NULL,
  mime_type varchar(100) NOT NULL, file_path varchar(200) NOT NULL, file_url varchar(200) NOT NULL, size_bytes bigint NOT NULL,
  thumbnail_file_name varchar(80), thumbnail_content_type varchar(40), thumbnail_file_size integer, thumbnail_updated_at timestamp)"""


def test_all_that_is_told_of_a_file_agrees() -> None:
    rows = weltigen.read_model(CHART).dataset(rows={"chart": 600}, seed=4).frame("chart")
    names = rows["filename"].map(PurePosixPath)
    assert (names.map(lambda name: name.suffix[1:]) == rows["extension"]).all() and rows["extension"].nunique() > 5
    assert (rows["filename"].map(lambda name: mimetypes.guess_type(name)[0]) == rows["mime_type"]).all()
    assert (rows["file_path"].map(lambda path: PurePosixPath(path).name) == rows["filename"]).all()
    assert rows["file_url"].str.startswith("https://files.example.com/").all()
    assert (rows["file_url"].map(lambda url: PurePosixPath(url).name) == rows["filename"]).all()
    assert not rows["filename"].str.contains("photo.*(?:xlsx|pdf)$|recording|clip").any()
    small = rows.dropna(subset="thumbnail_file_name")
    assert (small["thumbnail_file_name"].map(lambda name: mimetypes.guess_type(name)[0]) == small["thumbnail_content_type"]).all()
    assert set(small["thumbnail_content_type"]) <= {"image/jpeg", "image/png", "image/webp"} and 0 < len(small) < len(rows)
    gone = rows[rows["thumbnail_file_name"].isna()]
    assert gone[["thumbnail_content_type", "thumbnail_file_size", "thumbnail_updated_at"]].isna().all(axis=None)


def test_sizes_of_files_are_spread_over_decades() -> None:
    sizes = weltigen.read_model(CHART).dataset(rows={"chart": 4000}).frame("chart")["size_bytes"]
    decades = np.log10(sizes).round().value_counts(normalize=True)
    assert decades.idxmax() == 5 and decades.get(4, 0) > 0.1 and decades.get(6, 0) > 0.1 and (sizes < 2500).mean() < 0.02


@pytest.mark.parametrize("sort", ["image", "audio", "video"])
def test_files_of_one_sort_are_of_that_sort(sort: str, tmp_path: Path) -> None:
    (tmp_path / "tapes.yaml").write_text(
        f"weltigen: 3\nentities:\n  tape:\n    rows: 200\n    fields:\n      label: {{type: text, kind: {{file-name: {{sort: {sort}, row: file}}}}}}\n"
        f"      what: {{type: text, kind: {{mime-type: {{sort: {sort}, row: file}}}}}}\n"
    )
    rows = weltigen.open_world(tmp_path / "tapes.yaml").dataset().frame("tape").dropna()
    assert rows["what"].str.startswith(sort).all() and rows["label"].nunique() > 100


def test_pictures_and_pages_open_in_the_programs_for_them(tmp_path: Path) -> None:
    """In each form that a field may hold, and bare by the name of the field."""
    (tmp_path / "tickets.sql").write_text(
        "CREATE TABLE ticket (id int PRIMARY KEY, avatar_image bytea NOT NULL, report_pdf bytea NOT NULL, chart text NOT NULL, note text NOT NULL)"
    )
    (tmp_path / "tickets.yaml").write_text(
        "weltigen: 3\nmodel: tickets.sql\nentities:\n  ticket:\n    rows: 150\n    fields:\n"
        "      chart: {kind: {image: {show: chart, width: 90, height: 40}}}\n      note: {kind: {pdf: {form: base64}}}\n"
    )
    rows = weltigen.open_world(tmp_path / "tickets.yaml").dataset().frame("ticket")
    drawn = [Image.open(io.BytesIO(one)) for one in rows["avatar_image"]]
    assert {(one.format, one.size, len(one.convert("RGB").getcolors() or [])) for one in drawn} == {("PNG", (64, 64), 2)}
    assert rows["chart"].str.startswith("data:image/png;base64,").all() and rows["chart"].nunique() > 50
    charts = [Image.open(io.BytesIO(base64.b64decode(one.partition(",")[2], validate=True))) for one in rows["chart"]]
    assert {one.size for one in charts} == {(90, 40)} and {len(one.convert("RGB").getcolors() or []) for one in charts} == {3}
    pages = [*rows["report_pdf"], *(base64.b64decode(one, validate=True) for one in rows["note"])]
    texts = {pypdf.PdfReader(io.BytesIO(one), strict=True).pages[0].extract_text() for one in pages}
    assert len(texts) > 60 and min(map(len, texts)) > 60 and not any("\\" in text for text in texts)


@pytest.mark.parametrize(
    ("kind", "told"),
    [
        ("{image: {show: photo}}", "colour, initials, chart"),
        ("{image: {width: 9000}}", "1 to 512 points"),
        ("{pdf: {form: bytes}}", "holds no file in the form bytes"),
        ("{file-name: {sort: picture}}", "image, audio, video"),
        ("{kept-file: {sort: image, on: cloud}}", "use `on: server`"),
        ("{mime-type: {sort: sound}}", "image, audio, video"),
        ("{file-extension: {sorts: image}}", "sort"),
    ],
)
def test_what_no_file_is_or_lies_on_is_told_with_its_place_and_what_there_is(kind: str, told: str, tmp_path: Path) -> None:
    world = tmp_path / "tapes.yaml"
    world.write_text(f"weltigen: 3\nentities:\n  tape:\n    rows: 20\n    fields:\n      label: {{type: text, kind: {kind}}}\n")
    with pytest.raises(WeltigenError) as raised:
        weltigen.open_world(world).dataset().write(tmp_path / "out.sqlite")
    assert "tapes.yaml:6:" in str(raised.value) and told in str(raised.value)
    assert [path.name for path in tmp_path.iterdir()] == ["tapes.yaml"]
