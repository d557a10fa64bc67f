"""Live databases: what their catalogues say is read by the same grammar as a script."""

from .connect import connected, is_url, named_by_environment, shown_url
from .databases import read_database

__all__ = ["connected", "is_url", "named_by_environment", "read_database", "shown_url"]
