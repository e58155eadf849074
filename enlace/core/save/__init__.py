"""Save a draft: one transaction that locks, compares, writes and reads back what the server made."""

from .journal import JournalLine, journal, taken_back
from .outcome import SaveOutcome, SavePolicy
from .plan import Part
from .receipts import Receipt
from .run import find_saved, rehearse, rehearse_parts, save, save_parts

__all__ = [
    "JournalLine",
    "Part",
    "Receipt",
    "SaveOutcome",
    "SavePolicy",
    "find_saved",
    "journal",
    "rehearse",
    "rehearse_parts",
    "save",
    "save_parts",
    "taken_back",
]
