"""SQL scalar expressions: read, evaluated with three-valued logic, said in words, written for a server."""

from .evaluate import Expression, arithmetic
from .functions import ExpressionError
from .parse import Names, Unsupported
from .words import in_words

__all__ = ["Expression", "ExpressionError", "Names", "Unsupported", "arithmetic", "in_words"]
