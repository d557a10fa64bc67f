"""What places on a server share: a connection of their own, or one that somebody else opened and ends."""

from __future__ import annotations

from copy import copy
from typing import Any

from ...stored.connections import open_connection, shown_url
from .place import Place


class ServerPlace(Place):
    """By a URL, or in the transaction of a connection that somebody else opened and ends; that one is left as it was found."""

    url: str
    host: str
    one_writer = False

    def __init__(self, url: str | None = None, connection: Any = None) -> None:
        self.url = url if connection is None and url is not None else connection.engine.url.render_as_string(hide_password=False)
        self.name = shown_url(self.url)
        self.database, _, self.host = self.name.partition("@")
        self.borrowed = connection is not None
        self._connection: Any = connection

    def connect(self, **arguments: Any) -> None:
        """Open the connection, where nobody has."""
        if not self.borrowed:
            self._connection = open_connection(self.url, **arguments)

    @property
    def _raw(self) -> Any:
        """The driver's own connection."""
        return self._connection.connection.driver_connection

    def another(self, wait: float) -> Place:
        other = copy(self)
        other._connection = None
        other.open(wait)
        return other

    def restore(self) -> None:
        """Give a connection that is somebody else's the settings that it had."""

    def take_back(self) -> None:
        """Undo what was done over a connection of our own."""
        self._connection.rollback()

    def abandon(self) -> None:
        if self._connection is None:
            return
        try:
            self.restore() if self.borrowed else self.take_back()
        except Exception:  # a connection that was lost has nothing to take back, and no settings
            if not self.borrowed:
                self._connection.invalidate()
        self.close()

    def close(self) -> None:
        connection, self._connection = self._connection, None
        if not self.borrowed and connection is not None:
            connection.close()
            connection.engine.dispose()
