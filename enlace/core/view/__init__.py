"""What a person asked to see: conditions built from parts, read, told in words, and made into what a server is asked."""

from .conditions import Condition, Group, Test, Typed, conditions_of, to_text
from .filtering import filter_of
from .telling import words_of

__all__ = ["Condition", "Group", "Test", "Typed", "conditions_of", "filter_of", "to_text", "words_of"]
