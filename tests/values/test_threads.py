"""What is written in turn about one matter: who asks begins, each message lies after the one before and answers it."""

from __future__ import annotations

from itertools import pairwise
from pathlib import Path

import pandas as pd
import pytest

import weltigen
from weltigen.model.problems import ImpossibleError
from weltigen.values.threads import questions_and_answers

SQL = """CREATE TABLE keeper (id integer PRIMARY KEY, name varchar(60) NOT NULL);
CREATE TABLE complaint (id integer PRIMARY KEY, subject varchar(120) NOT NULL, opened_at timestamp NOT NULL, closed_at timestamp);
CREATE TABLE complaint_message (id integer PRIMARY KEY, complaint_id integer NOT NULL REFERENCES complaint, {more},
  body text NOT NULL, created_at {when} NOT NULL);"""
SIDES = {
    "from_customer boolean NOT NULL, agent_id integer REFERENCES keeper": (True, False),
    "direction varchar(8) NOT NULL CHECK (direction IN ('in', 'out'))": ("in", "out"),
    "sender_type varchar(10) NOT NULL CHECK (sender_type IN ('staff', 'guest'))": ("guest", "staff"),
    "is_staff boolean NOT NULL DEFAULT false": (False, True),
}


def _answered(language: str) -> dict[str, str]:
    return dict(zip(*questions_and_answers(language), strict=True))


@pytest.mark.parametrize("more", SIDES)
@pytest.mark.parametrize("when", ["timestamp", "timestamptz", "date"])
def test_messages_of_a_bare_model_answer_each_other(more: str, when: str) -> None:
    dataset = weltigen.read_model(SQL.format(more=more, when=when)).dataset(rows={"complaint": 300})
    matters, rows = dataset.frame("complaint").set_index("id"), dataset.frame("complaint_message")
    side = rows[more.split()[0]]
    answers, met = _answered("en"), 0
    for matter, those in rows.groupby("complaint_id"):
        told = matters.loc[matter]
        at = pd.to_datetime(those["created_at"], utc=True).tolist()
        day = pd.Timedelta(days=1 if when == "date" else 0)
        assert all(one < other or (when == "date" and one == other) for one, other in pairwise(at))
        assert at[0] >= pd.Timestamp(told["opened_at"], tz="UTC") - day
        assert pd.isna(told["closed_at"]) or at[-1] <= pd.Timestamp(told["closed_at"], tz="UTC")
        assert side[those.index[0]] == SIDES[more][0] and told["subject"].rstrip(".!? ") in those["body"].iloc[0]
        for one, other in pairwise(those.index):
            asked = next((question for question in answers if rows["body"][one].startswith(question)), None)
            if asked is not None and side[other] == SIDES[more][0]:
                assert rows["body"][other].startswith(answers[asked])
                met += 1
    assert met > 100 and rows["body"].nunique() > 0.6 * len(rows) and rows.groupby("complaint_id").size().nunique() > 5
    assert set(side) == set(SIDES[more]) and dict(dataset.row("complaint_message", 77))["body"] == rows["body"][77]
    if "agent_id" in rows:
        assert (rows["agent_id"].isna() == rows["from_customer"]).all()


@pytest.mark.parametrize("language", ["de", "fr", "es"])
def test_they_do_so_in_each_language_and_in_any_batching(language: str, tmp_path: Path) -> None:
    (tmp_path / "m.sql").write_text(SQL.format(more="side integer", when="timestamp"))
    said = "kind: {thread: {of: complaint.subject}}"
    (tmp_path / "m.yaml").write_text(
        f"weltigen: 3\nmodel: m.sql\nlanguage: {language}\nentities:\n  complaint_message:\n    rows: {{per: complaint, each: 5}}\n"
        f"    fields: {{body: {{{said}}}, created_at: {{kind: {{turns: {{of: complaint.opened_at, usually: 2 days}}}}}}}}\n"
    )
    dataset = weltigen.open_world(tmp_path / "m.yaml").dataset(rows={"complaint": 80})
    rows = dataset.frame("complaint_message")
    answers = _answered(language)
    asked = [next((q for q in answers if body.startswith(q)), None) for body in rows["body"]]
    replies = [rows["body"][at + 1].startswith(answers[q]) for at, q in enumerate(asked) if q is not None and rows["id"][at] % 5]
    assert sum(replies) > 40 and sum(replies) > 0.8 * len(replies)
    spans = rows.groupby("complaint_id")["created_at"].agg(lambda at: at.max() - at.min())
    assert spans.median() > pd.Timedelta(days=2) and (rows.groupby("complaint_id")["created_at"].is_monotonic_increasing).all()
    small = [row for batch in dataset.batches("complaint_message", size=7) for row in batch.column("body").to_pylist()]
    assert small == rows["body"].tolist()


def test_what_has_no_owner_is_not_written_in_turn(tmp_path: Path) -> None:
    (tmp_path / "m.sql").write_text("CREATE TABLE note (id integer PRIMARY KEY, title text NOT NULL, body text NOT NULL)")
    (tmp_path / "m.yaml").write_text(
        "weltigen: 3\nmodel: m.sql\nentities: {note: {fields: {body: {kind: {thread: {of: title}}}}}}"
    )
    with pytest.raises(ImpossibleError, match="only rows of an owner are written in turn"):
        weltigen.open_world(tmp_path / "m.yaml").dataset()
