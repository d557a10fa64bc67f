"""Live databases: what their catalogues say is read by the same grammar as a script."""

from .databases import read_database, world_there

__all__ = ["read_database", "world_there"]
