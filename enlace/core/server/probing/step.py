"""What a step of a connection test is: a label, and a function that returns what it found or raises Problem."""

from __future__ import annotations

from collections.abc import Callable

from ...model.connection import ConnectionSpec

Step = Callable[[ConnectionSpec], str]
Steps = tuple[tuple[str, Step], ...]
