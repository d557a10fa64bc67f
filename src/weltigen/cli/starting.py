"""What makes a command start and end sooner; for a process of its own, not for a program that calls the library."""

from __future__ import annotations

import atexit
import gc
import sys


def collect_nothing() -> None:
    """A command loads much, makes a plan, and ends: to look for circular objects among all that, and at its end, is vain."""
    gc.disable()
    atexit.register(gc.freeze)


class _NoPandas:
    @staticmethod
    def find_spec(name: str, path: object = None, target: object = None) -> None:
        if name == "pandas":
            raise ModuleNotFoundError(name=name)


def arrow_without_pandas() -> None:
    """Lets pyarrow, where it is loaded, make its first array in the belief that there is no pandas.

    Else it loads pandas then, a third of a small command's time, to know that library's nulls, of which no command holds any.
    """
    if "pyarrow" not in sys.modules or "pandas" in sys.modules:
        return
    import pyarrow as pa

    finder = _NoPandas()
    sys.meta_path.insert(0, finder)
    try:
        pa.array([None])
    finally:
        sys.meta_path.remove(finder)
