"""SQL scalar expressions, evaluated over Arrow columns with SQL's three-valued logic."""

from .canonical import canonical, octets_of
from .evaluate import Expression, parse, parse_over_counts
from .meaning import NotEvaluableError

__all__ = ["Expression", "NotEvaluableError", "canonical", "octets_of", "parse", "parse_over_counts"]
