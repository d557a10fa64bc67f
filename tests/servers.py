"""Throw-away database servers on loopback, in a folder of their own, run by an unprivileged user; only what was started is stopped."""

from __future__ import annotations

import os
import pwd
import shutil
import signal
import socket
import subprocess
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from tempfile import mkdtemp

import pytest
from sqlalchemy import create_engine, text
from sqlalchemy.engine import URL, make_url
from sqlalchemy.exc import OperationalError

REQUIRED = os.environ.get("WELTIGEN_REQUIRE_SERVERS") == "1"


def _program(name: str, *folders: str) -> str:
    found = shutil.which(name, path=os.pathsep.join([os.environ.get("PATH", ""), *folders]))
    if found is None:
        missing = f"{name} is not installed, so nothing is tested against its server"
        (pytest.fail if REQUIRED else pytest.skip)(missing)
    return found


def _postgresql(name: str) -> str:
    return _program(name, *sorted(map(str, Path("/usr/lib/postgresql").glob("*/bin")), reverse=True))


def _as_nobody(folder: Path) -> dict[str, str]:
    """Servers refuse to run as root: then they run as a user who may do nothing else."""
    if os.getuid() != 0:
        return {}
    user = pwd.getpwnam("nobody")
    os.chown(folder, user.pw_uid, user.pw_gid)
    return {"user": "nobody"}


def _free_port() -> int:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])


@contextmanager
def _running(command: list[str], url: URL, folder: Path, who: dict[str, str]) -> Iterator[URL]:
    with (folder.parent / "server.log").open("w") as log:
        server = subprocess.Popen(command, stdout=log, stderr=log, cwd=folder, **who)  # type: ignore[call-overload]
    engine = create_engine(url)
    try:
        for _ in range(300):
            try:
                with engine.connect():
                    break
            except OperationalError:
                if server.poll() is not None:
                    break
                time.sleep(0.1)
        else:
            pytest.fail(f"the server did not answer: {(folder.parent / 'server.log').read_text()[-2000:]}")
        if server.poll() is not None:
            pytest.fail(f"the server did not start: {(folder.parent / 'server.log').read_text()[-2000:]}")
        yield url
    finally:
        engine.dispose()
        server.send_signal(signal.SIGINT if "postgres" in command[0] else signal.SIGTERM)  # PostgreSQL would wait for sessions
        try:
            server.wait(20)
        except subprocess.TimeoutExpired:
            server.kill()
            server.wait()


@contextmanager
def _folder() -> Iterator[Path]:
    top = Path(mkdtemp(prefix="weltigen-server-"))
    top.chmod(0o755)
    try:
        (top / "data").mkdir()
        yield top / "data"
    finally:
        shutil.rmtree(top, ignore_errors=True)


@contextmanager
def postgresql() -> Iterator[URL]:
    initdb, postgres = _postgresql("initdb"), _postgresql("postgres")
    with _folder() as folder:
        who, port = _as_nobody(folder), _free_port()
        made = [initdb, "-D", str(folder), "-U", "tester", "--auth=trust", "--encoding=UTF8", "--no-sync", "--locale=C"]
        subprocess.run(made, check=True, capture_output=True, cwd=folder, **who)  # type: ignore[call-overload]
        options = ["-c", "listen_addresses=127.0.0.1", "-c", "fsync=off", "-c", f"unix_socket_directories={folder}"]
        url = make_url(f"postgresql+psycopg://tester@127.0.0.1:{port}/postgres")
        with _running([postgres, "-D", str(folder), "-p", str(port), *options], url, folder, who) as running:
            yield running


@contextmanager
def mariadb() -> Iterator[URL]:
    install, server = _program("mariadb-install-db", "/usr/bin"), _program("mariadbd", "/usr/sbin")
    with _folder() as folder:
        who, port = _as_nobody(folder), _free_port()
        made = [install, "--no-defaults", f"--datadir={folder}", "--auth-root-authentication-method=normal", "--skip-test-db"]
        subprocess.run(made, check=True, capture_output=True, cwd=folder, **who)  # type: ignore[call-overload]
        options = [f"--datadir={folder}", f"--port={port}", "--bind-address=127.0.0.1", f"--socket={folder}/s", "--skip-name-resolve",
                   f"--pid-file={folder}/pid", "--innodb-flush-log-at-trx-commit=0"]  # fmt: skip
        url = make_url(f"mariadb+pymysql://root@127.0.0.1:{port}/mysql")
        with _running([server, "--no-defaults", *options], url, folder, who) as running:
            yield running


def fresh_database(server: URL) -> Callable[[str], URL]:
    """A function that makes an empty database on the server and gives its URL."""

    def make(name: str) -> URL:
        engine = create_engine(server, isolation_level="AUTOCOMMIT")
        with engine.connect() as connection:
            connection.execute(text(f"DROP DATABASE IF EXISTS {name}"))
            connection.execute(text(f"CREATE DATABASE {name}"))
        engine.dispose()
        return server.set(database=name)

    return make
