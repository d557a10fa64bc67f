"""Live databases: what their catalogues say is read by the same grammar as a script."""

from .databases import read_database

__all__ = ["read_database"]
