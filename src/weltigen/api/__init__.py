"""The public Python interface; the command line is a thin layer over it."""

from ..readers import json_schema
from .dataset import Dataset
from .drafts import draft
from .looking import Record, Records, look, stored_world
from .world import World, audit, open_run, open_world, plan_of_run, read_model, resume_run

__all__ = [
    "Dataset",
    "Record",
    "Records",
    "World",
    "audit",
    "draft",
    "json_schema",
    "look",
    "open_run",
    "open_world",
    "plan_of_run",
    "read_model",
    "resume_run",
    "stored_world",
]
