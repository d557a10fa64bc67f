"""The public Python interface; the command line is a thin layer over it."""

from ..readers import json_schema
from .dataset import Dataset
from .drafts import draft
from .opening import audit, open_world, read_model
from .records import Record, Records, look
from .runs import open_run, plan_of_run, resume_run
from .world import World

__all__ = [
    "Dataset", "Record", "Records", "World", "audit", "draft", "json_schema", "look", "open_run", "open_world", "plan_of_run",
    "read_model", "resume_run",
]  # fmt: skip
