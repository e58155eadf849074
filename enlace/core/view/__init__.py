"""What a person asked to see, as one value: which rows, in which order and groups, arranged how.

Conditions built from parts are read, told in words, and made into what a server is asked.
"""

from .arranged import SPLITS, Arranged
from .asked import Asked
from .conditions import Anywhere, Condition, Group, Test, Typed, conditions_of, to_text
from .filtering import filter_of
from .telling import words_of
from .view import View

__all__ = [
    "SPLITS",
    "Anywhere",
    "Arranged",
    "Asked",
    "Condition",
    "Group",
    "Test",
    "Typed",
    "View",
    "conditions_of",
    "filter_of",
    "to_text",
    "words_of",
]
