"""Checks on fields and records: what the catalog itself demands, said before the server says it."""

from .record import Complaint, RecordRules

__all__ = ["Complaint", "RecordRules"]
