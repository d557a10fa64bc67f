"""SQL scalar expressions, evaluated over Arrow columns with SQL's three-valued logic."""

from .canonical import canonical, octets_of
from .children import child_of
from .evaluate import Aggregate, Expression, compared_with, condition_tree, only_compares, parse, parse_over_counts
from .meaning import NotEvaluableError
from .moments import span_of

__all__ = [
    "Aggregate",
    "Expression",
    "NotEvaluableError",
    "canonical",
    "child_of",
    "compared_with",
    "condition_tree",
    "octets_of",
    "only_compares",
    "parse",
    "parse_over_counts",
    "span_of",
]
