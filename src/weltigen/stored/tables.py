"""What is stored, read back as Arrow tables of the model's types."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

import pyarrow as pa

from ..model import Entity, World
from ..model.problems import UnreadableError
from .file_names import file_stem
from .formats import reading, stored_file
from .locations import Database, Folder, location_of
from .sqlite import read_sqlite_table

TableReader = Callable[[str], Any]


def read_folder_table(path: Path, entity: Entity) -> Any:
    """One entity's file as a pyarrow.Table; UnreadableError where it is not there or does not parse."""
    schema = pa.schema([(f.name, f.type.arrow()) for f in entity.fields if f.generated is None])
    found = stored_file(path, entity.name)
    if found is None:
        raise UnreadableError(f"{path / file_stem(entity.name)}.*: no such file")
    format, file = found
    with reading(file):
        return format.read(file, schema)


def table_reader(target: str | Path, world: World) -> TableReader:
    """A function from an entity's name to what is stored there, a pyarrow.Table of its fields' types."""
    location = location_of(target)
    if isinstance(location, Database):
        raise UnreadableError("tables of a database server cannot be read yet")
    if isinstance(location, Folder):
        return lambda entity: read_folder_table(location.path, world.entity(entity))
    return lambda entity: read_sqlite_table(location.path, world.entity(entity))
