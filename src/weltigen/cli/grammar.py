"""weltigen grammar"""

from __future__ import annotations

import click

from ..readers.grammar import json_schema
from .show import out_json


@click.command()
def grammar() -> None:
    """Print the world file's grammar as a JSON Schema, for editors that check and complete YAML."""
    out_json(json_schema())
