"""What rules and totals need to know of a form at work: its parts, and their records as they stand."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any, Protocol

from enlace.core.dataset import DatasetSpec
from enlace.core.kinds import Formats
from enlace.core.model.connection import ConnectionSpec

from .drafts import DraftStore
from .parts import FormPart
from .words import Words


class Reader(Protocol):
    """One part of a form, from which the others can be reached. `work.Work` is one."""

    spec: ConnectionSpec
    dataset: DatasetSpec
    part: FormPart
    master: str
    formats: Formats
    store: DraftStore
    words: Words

    @property
    def parts(self) -> Mapping[str, FormPart]: ...

    def for_part(self, part: str) -> Reader:
        """A part of the form, for its records."""

    def stored(self, identifier: str) -> Mapping[str, Any] | None:
        """What the server has of a record."""

    def stored_of(self, identifiers: Sequence[str]) -> Mapping[str, Mapping[str, Any]]:
        """What the server has of several records, by their ids."""
