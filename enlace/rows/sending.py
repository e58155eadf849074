"""Rows sent as a file: as they are written where the format allows it, else from a file that is written first."""

from __future__ import annotations

import re
import tempfile
from collections.abc import Iterable, Iterator

from django.http import FileResponse, StreamingHttpResponse
from django.http.response import HttpResponseBase

from enlace.core.exchange.outgoing import Sheet
from enlace.core.exchange.writers import WRITERS, Writer
from enlace.core.problem import Problem

BLOCK = 1 << 16  # characters


def writer_named(name: str) -> Writer:
    """A format by its name. Raises Problem."""
    if name not in WRITERS:
        raise Problem("There is no such format.", "Choose one of the list.", code="bad")
    return WRITERS[name]


def file_name(title: str) -> str:
    """The stem of a file's name after a title: letters and digits that every system writes alike."""
    return re.sub(r"[^A-Za-z0-9_-]+", "-", title).strip("-") or "rows"


def _in_blocks(pieces: Iterable[str]) -> Iterator[str]:
    """Pieces put together: to send each line by itself takes longer than to write it."""
    several: list[str] = []
    size = 0
    for piece in pieces:
        several.append(piece)
        size += len(piece)
        if size >= BLOCK:
            yield "".join(several)
            several, size = [], 0
    yield "".join(several)


def sent(writer: Writer, title: str, sheets: Iterable[Sheet]) -> HttpResponseBase:
    """The file. sheets: one for formats that are sent in pieces."""
    name = f"{file_name(title)}.{writer.end}"
    if writer.pieces is not None:
        [sheet] = sheets
        return StreamingHttpResponse(
            _in_blocks(writer.pieces(sheet.heads, sheet.rows)),
            content_type=f"{writer.media_type}; charset=utf-8",
            headers={"Content-Disposition": f'attachment; filename="{name}"', "Cache-Control": "no-store"},
        )
    assert writer.whole is not None
    file = tempfile.TemporaryFile()  # noqa: SIM115 (whoever sends it closes it)
    writer.whole(file, sheets)
    file.seek(0)
    return FileResponse(
        file, as_attachment=True, filename=name, content_type=writer.media_type, headers={"Cache-Control": "no-store"}
    )
