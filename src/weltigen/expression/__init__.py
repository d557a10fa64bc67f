"""SQL scalar expressions, evaluated over Arrow columns with SQL's three-valued logic."""

from .evaluate import Expression, NotEvaluableError, parse

__all__ = ["Expression", "NotEvaluableError", "parse"]
