"""One person's changes on one form that the server has not got yet."""

from .pending import Conflict, PendingRecord, dump, load
from .steps import Step, undone

__all__ = ["Conflict", "PendingRecord", "Step", "dump", "load", "undone"]
