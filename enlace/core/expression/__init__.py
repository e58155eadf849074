"""SQL scalar expressions: read, evaluated with three-valued logic, and said in words."""

from .evaluate import Expression, Unsupported
from .words import in_words

__all__ = ["Expression", "Unsupported", "in_words"]
