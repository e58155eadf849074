"""The link board of a source: drawn anew only when what it shows has changed, which most edits of a sheet do not."""

from __future__ import annotations

from django import template
from django.utils.safestring import SafeString

from enlace.desk.skeleton import drawn

from ..board import Board
from ..pieces import Pieces

register = template.Library()


@register.simple_tag
def link_board(board: Board, pieces: Pieces) -> SafeString:
    """The crossbar of one source."""
    return pieces.whole(f"board-{board.source.name}", drawn("composer/board.html", (("board", board),), {}))


@register.simple_block_tag
def piece(content: SafeString, pieces: Pieces, name: str) -> SafeString:
    """One element that is left out where the page has it."""
    return pieces.whole(name, content)
