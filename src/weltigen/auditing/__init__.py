"""Does the data keep every rule that the model declares? Rules become SQL that runs where the data lies.

Independent of the engine: it knows the world and the data, and nothing of how rows are made.
"""

from .findings import Example, Finding, Report
from .run import audit

__all__ = ["Example", "Finding", "Report", "audit"]
