"""Sources in, worlds out."""

from .ddl import DIALECTS, read_ddl
from .grammar import json_schema
from .sources import read_source, read_text
from .stored import world_from_receipt, world_to_json

__all__ = ["DIALECTS", "json_schema", "read_ddl", "read_source", "read_text", "world_from_receipt", "world_to_json"]
