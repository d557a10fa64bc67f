"""Sources in, worlds out."""

from .grammar import json_schema
from .overrides import stored_text, with_overrides
from .python_model import names_python
from .sources import check_world_text, read_source, read_text
from .sql import DIALECTS, read_ddl
from .world_json import world_from_receipt, world_to_json

__all__ = [
    "DIALECTS", "check_world_text", "json_schema", "names_python", "read_ddl", "read_source", "read_text", "stored_text",
    "with_overrides", "world_from_receipt", "world_to_json",
]  # fmt: skip
