"""The link board of a source: drawn anew only when what it shows has changed, which most edits of a sheet do not."""

from __future__ import annotations

from django import template
from django.utils.safestring import SafeString

from enlace.desk.skeleton import drawn

from ..board import Board

register = template.Library()


@register.simple_tag
def link_board(board: Board) -> SafeString:
    """The crossbar of one source."""
    return drawn("composer/board.html", (("board", board),), {})
