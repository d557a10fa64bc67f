"""Files of a row: what they are called, end in, are and where they lie agree; sizes are spread over decades."""

import mimetypes
from pathlib import Path, PurePosixPath

import numpy as np
import pytest

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


@pytest.mark.parametrize(
    ("kind", "told"),
    [
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
