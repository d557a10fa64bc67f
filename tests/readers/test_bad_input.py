"""Sources that cannot be read are told with one clear message, never with a password, and nothing in them is ever executed."""

from __future__ import annotations

import random
import re
import sys
from pathlib import Path

import pytest
from sqlalchemy.engine import URL

import weltigen
from weltigen.model import WeltigenError
from weltigen.readers.sources import read_source

FILES: list[tuple[str, bytes, str]] = [
    ("truncated.sql", b"CREATE TABLE a (id int primary key,\n b varchar(20", "truncated.sql:1:16  a parenthesis is not closed"),
    ("quote.sql", b"CREATE TABLE a (id int);\nINSERT INTO a VALUES (1), ('x", "quote.sql:2:28  the quote ' is not closed"),
    ("copy.sql", b"CREATE TABLE a (id int);\nCOPY a FROM stdin;\n1\n2\n", "copy.sql:2:1  the rows of COPY a do not end"),
    ("comment.sql", b"CREATE TABLE a (id int); /* and then", "comment.sql:1:26  the comment /* is not closed"),
    ("dollar.sql", b"CREATE TABLE a (id serial);\nDO $x$ BEGIN", "dollar.sql:2:4  the quote $x$ is not closed"),
    ("ms.sql", b"CREATE TABLE [dbo].[a] (id int IDENTITY(1,1))\nGO\n", "this is SQL Server's SQL, which is not read here"),
    ("ora.sql", b"CREATE TABLE a (id NUMBER(10), x VARCHAR2(30));", "this is Oracle's SQL, which is not read here"),
    ("archive.sql", b"PGDMP\x01\x02", "this is an archive of pg_dump, not SQL"),
    ("packed.sql", b"\x1f\x8b\x08\x00", "this is compressed"),
    ("binary.sql", b"\x7fELF\x02\x00\x01", "this is not text, but a binary file"),
    ("view.sql", b"CREATE VIEW x AS SELECT 1;", "no table is declared here; only this: CREATE VIEW x"),
    ("empty.sql", b"", "no table is declared here"),
    ("line.sql", b"a" * 10_000_000, "no table is declared here; only this: aaaa"),
    ("png.sqlite", b"\x89PNG\r\n", "this is not an SQLite database"),
    ("empty.sqlite", b"", "no table is declared here"),
    ("world.yaml", b"weltigen: 3\nmodel: env:NO_SUCH_URL\n", "the environment variable NO_SUCH_URL is not set"),
]  # fmt: skip


def said_of(source: str) -> str:
    with pytest.raises(WeltigenError) as error:
        read_source(source)
    text = str(error.value)
    assert len(text) < 700 and "Traceback" not in text
    return text


@pytest.mark.parametrize(("name", "data", "said"), FILES, ids=[name for name, _, _ in FILES])
def test_a_file_that_cannot_be_read_says_so_and_where(
    name: str, data: bytes, said: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.chdir(tmp_path)
    Path(name).write_bytes(data)
    assert said in said_of(name)


def test_a_wrong_dialect_is_told_with_the_way_to_another(tmp_path: Path) -> None:
    path = tmp_path / "my.sql"
    path.write_text("CREATE TABLE `a` (`id` int AUTO_INCREMENT PRIMARY KEY);")
    with pytest.raises(WeltigenError, match=r"at '`': a name should stand there\n.*another dialect is said with --dialect"):
        read_source(path, "postgresql")


@pytest.mark.parametrize(
    ("code", "name", "said"),
    [
        ("import nothing_like_it", "Base", "m.py:1  m fails to import: ModuleNotFoundError: No module named 'nothing_like_it'"),
        ("x = 1\nraise RuntimeError('the mast broke')", "Base", "m.py:2  m fails to import: RuntimeError: the mast broke"),
        ("raise SystemExit(3)", "Base", "m fails to import: SystemExit: 3"),
        ("def f(:", "Base", "m fails to import: SyntaxError"),
        ("from sqlalchemy import MetaData\nMeta = MetaData()", "Met", "m has no 'Met'\n  did you mean 'Meta'?"),
        ("from sqlalchemy import MetaData\nMeta = MetaData()", "Meta", "no table is declared here"),
        ("x = 1", "x", "m:x is a int, not a MetaData or a declarative base"),
    ],
)
def test_a_python_module_that_gives_no_model_shows_why(
    code: str, name: str, said: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.chdir(tmp_path)
    monkeypatch.delitem(sys.modules, "m", raising=False)
    Path("m.py").write_text(code)
    assert said in said_of(f"m:{name}")
    assert "there is no module nowhere" in said_of("nowhere:Base")
    assert str(tmp_path) not in sys.path


def test_a_database_that_lets_nobody_in_is_named_without_the_password(postgresql_database: URL, mariadb_database: URL) -> None:
    for url, said in (
        (postgresql_database.set(password="hunter2"), None),
        (URL.create("postgresql", "me", "hunter2", "127.0.0.1", 1, "ferry"), "no connection to ferry at 127.0.0.1:1 for user me"),
        (URL.create("mysql", "me", "hunter2", "127.0.0.1", 1, "ferry"), "no connection to ferry at 127.0.0.1:1 for user me"),
        (mariadb_database.set(username="me", password="hunter2"), "(using password: YES)\n"),
        (
            URL.create("postgresql", "me", "hunter2", "no.such.host.example", None, "x"),
            "no connection to x at no.such.host.example",
        ),
        (URL.create("postgresq", "me", "hunter2", "h", None, "x"), "did you mean 'postgresql'?"),
    ):
        text = said_of(url.render_as_string(hide_password=False))
        assert (said or "no table is declared here") in text and "hunter2" not in text
        assert ("are the user and the password right?" in text) == ("Access denied" in text)


def test_reading_executes_nothing(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.chdir(tmp_path)
    Path("evil.sql").write_text(
        "\\! touch made\n.shell touch made\nCREATE TABLE a (id int PRIMARY KEY);\nCOPY a FROM PROGRAM 'touch made';\nsystem touch made;\n"
    )
    Path("evil.py").write_text("open('made', 'w')\n")
    assert read_source("evil.sql").entity_names == ("a",)
    with pytest.raises(WeltigenError):
        read_source("evil.py")
    assert not Path("made").exists()


@pytest.mark.parametrize("seed", range(60))
def test_a_damaged_script_is_read_or_told_but_never_a_fault(seed: int) -> None:
    """Words are dropped, doubled and exchanged, or the file ends too early: planning it works, or one message says why not."""
    rng = random.Random(seed)
    dialect = rng.choice(["postgresql", "mariadb", "sqlite"])
    text = (Path(__file__).parent / "scripts" / f"{dialect}.sql").read_text().split("COPY lighthouse")[0]
    if rng.random() < 0.3:
        text = text[: rng.randrange(len(text))]
    else:
        words = re.findall(r"'[^']*'|\w+|\s+|.", text, re.S)
        for _ in range(rng.randrange(1, 6)):
            at, other = rng.randrange(len(words)), rng.randrange(len(words))
            words[at] = rng.choice(["", words[at] * 2, words[other]])
        text = "".join(words)
    try:
        weltigen.read_model(text, dialect=rng.choice([dialect, dialect, "postgresql"])).plan()
    except WeltigenError as error:
        assert all(len(str(problem)) < 500 for problem in error.problems)
