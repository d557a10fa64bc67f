"""Opening a connection by URL; a password is never shown, nor kept in anything that is written down."""

from __future__ import annotations

import re
from collections.abc import Iterator
from contextlib import contextmanager
from importlib.util import find_spec
from typing import Any

from ..model.problems import Place, Problem, UnreadableError, UsageError, nearest

# the driver taken where the URL names none, and the extra that brings it
_DRIVERS = {"postgresql": ("psycopg", "postgresql"), "mysql": ("pymysql", "mariadb"), "mariadb": ("pymysql", "mariadb")}
_ALIASES = {"postgres": "postgresql"}


def _parsed(url: str) -> Any:
    from sqlalchemy.engine import make_url
    from sqlalchemy.exc import ArgumentError

    try:
        made = make_url(url)
    except (ArgumentError, ValueError):
        raise UsageError("this is not a database URL", hint="write postgresql://user@host:port/database") from None
    backend = _ALIASES.get(made.get_backend_name(), made.get_backend_name())
    if backend in _DRIVERS and ("+" not in made.drivername or made.get_backend_name() in _ALIASES):
        return made.set(drivername=f"{backend}+{_DRIVERS[backend][0]}")
    return made


def backend_of(url: str) -> str:
    """The kind of database that a URL names: postgresql, mysql, mariadb or another."""
    return str(_ALIASES.get(name := _parsed(url).get_backend_name(), name))


def shown_url(url: str) -> str:
    """`database@host`, which says what it is and never how to get in."""
    made = _parsed(url)
    return f"{made.database or made.get_backend_name()}@{made.host or 'localhost'}"


def without_password(url: str) -> str:
    """The URL as it may be shown and typed again: whoever types it has the password from elsewhere."""
    made = _parsed(url)
    return str(made.set(drivername=made.drivername.partition("+")[0], password=None).render_as_string(hide_password=True))


@contextmanager
def connected(url: str) -> Iterator[Any]:
    """A SQLAlchemy connection; UnreadableError says which host did not let which user in, and why."""
    connection = open_connection(url)
    try:
        yield connection
    finally:
        connection.close()
        connection.engine.dispose()


def open_connection(url: str, **arguments: Any) -> Any:
    """As `connected`, to be closed by whoever asked; `arguments` are the driver's own."""
    from sqlalchemy import create_engine
    from sqlalchemy.exc import DBAPIError, NoSuchModuleError

    made = _parsed(url)
    backend = made.get_backend_name()
    driver, extra = _DRIVERS.get(backend, (None, None))
    if driver is not None and made.get_driver_name() == driver and find_spec(driver) is None:
        raise UsageError(f"the driver for {backend} is not installed", hint=f"pip install 'weltigen[{extra}]'")
    try:
        engine = create_engine(made, connect_args=_patience(backend) | arguments)
    except NoSuchModuleError:
        hint = nearest(backend, ("postgresql", "mariadb", "mysql", "sqlite"))
        raise UsageError(f"no kind of database is called '{made.drivername}'", hint=hint) from None
    except ModuleNotFoundError as error:
        raise UsageError(
            f"the driver {error.name} for {made.drivername} is not installed", hint=f"pip install {error.name}"
        ) from None
    try:
        return engine.connect()
    except (DBAPIError, OSError) as error:
        engine.dispose()
        raise UnreadableError(_refused(made, error)) from None


def _patience(backend: str) -> dict[str, Any]:
    return {"connect_timeout": 10} if backend in _DRIVERS else {}


def _refused(url: Any, error: Exception) -> Problem:
    where = f"{url.host or 'localhost'}{f':{url.port}' if url.port else ''}"
    said = getattr(error, "orig", None) or error
    text = str(said.args[-1] if said.args else said).partition("\n")[0]  # further lines guess at the reason, as our hint does
    if url.password:
        text = text.replace(str(url.password), "…")
    missing = re.search(r'database "[^"]*" does not exist|unknown database', text, re.I)
    denied = re.search(r"denied|authentication|role|password", text, re.I)
    who = f" for user {url.username}" if url.username else ""
    fact = f"no connection to {url.database or 'the database'} at {where}{who}: {text[:200]}"
    hint = "are the user and the password right?" if denied else "is the server running, and is the URL right?"
    hint = f"create it first: CREATE DATABASE {url.database}" if missing else hint
    return Problem(fact=fact, place=Place(file=f"{url.database}@{url.host or 'localhost'}"), hint=hint)
