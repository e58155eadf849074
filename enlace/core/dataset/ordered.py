"""Rows in an order, and the parts of it between places that are known."""

from __future__ import annotations

from collections.abc import Callable, Hashable, Mapping
from dataclasses import dataclass, field
from typing import Any

from sqlalchemy import ColumnElement, FromClause

from ..model.connection import ConnectionSpec
from .order import OrderPart
from .source import Source

Key = tuple[ConnectionSpec, Hashable, tuple[OrderPart, ...]]


@dataclass(frozen=True)
class Ordered:
    """Rows in an order. what: tells them from others. count: how many there are. base: what they are selected from. where:
    which of the source's rows they are; None for all of a table. These are asked only where anchors are built, which few
    windows come to. values: what is bound in it."""

    spec: ConnectionSpec
    source: Source
    order: tuple[OrderPart, ...]
    what: Hashable
    count: Callable[[], int]
    base: Callable[[], FromClause]
    where: Callable[[], ColumnElement[bool]] | None = None
    values: Mapping[str, Any] = field(default_factory=dict)

    @property
    def key(self) -> Key:
        return (self.spec, self.what, self.order)


@dataclass(frozen=True)
class Stretch:
    """The part of an order in which some positions lie.

    position, place: the last anchor at or before them. end: the order values of an anchor after them, None
    when there is none.
    """

    position: int
    place: tuple[Any, ...]
    end: tuple[Any, ...] | None
