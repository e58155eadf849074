"""Tabs with titles: pages of controls, one of which is seen."""

from .base import ControlKind, Setting

TABS = ControlKind("tabs", "Tabs", "Pages of controls, one seen at a time", holds=True, size=(12, 10))
PAGE = ControlKind(
    "page",
    "Page of tabs",
    "One page of tabs",
    holds=True,
    size=(12, 10),
    settings=(Setting("title", "Title", default="Page"),),
)
