"""Pictures of a record: shown, replaced, cleared."""

from __future__ import annotations

import hashlib
import io
import warnings
from dataclasses import replace
from typing import Any

from django.http import HttpRequest, HttpResponse, HttpResponseNotModified
from PIL import Image

from enlace.core.dataset import FieldSpec
from enlace.core.problem import Problem
from enlace.core.rules import Complaint

from . import editing
from .answers import Answer
from .opening import on_form, text_from
from .views import told
from .work import Work

MOST_BYTES = 25_000_000
MOST_PIXELS = 60_000_000
FORMATS = {"PNG": "image/png", "JPEG": "image/jpeg", "GIF": "image/gif", "WEBP": "image/webp", "BMP": "image/bmp"}
THUMBNAIL = (96, 64)


@on_form
def picture(request: HttpRequest, work: Work) -> HttpResponse:
    """GET shows the picture of a field, POST replaces it by a file, or clears it when none is sent."""
    if request.method == "POST":
        return _replace(request, work)
    field = work.field(text_from(request, "field"))
    content = work.record(text_from(request, "record")).value(field.name)
    if field.kind != "picture" or not isinstance(content, bytes):
        raise Problem("There is no picture here.", "Choose a record that has one.", code="missing")
    tag = f'"{hashlib.sha256(content).hexdigest()[:32]}"'
    if request.headers.get("If-None-Match") == tag:
        return HttpResponseNotModified()
    kind = checked(content)
    # A picture is data from a database: never let a browser take it for a page.
    response = HttpResponse(content, content_type=FORMATS[kind])
    response["X-Content-Type-Options"] = "nosniff"
    response["Content-Disposition"] = "inline"
    response["Cache-Control"] = "private, no-cache"
    response["ETag"] = tag
    return response


def checked(content: bytes) -> str:
    """The format of a picture, verified by Pillow. Raises Problem when it is none that browsers show."""
    hint = "Use a PNG, JPEG, GIF, WebP or BMP file."
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("error", Image.DecompressionBombWarning)
            with Image.open(io.BytesIO(content), formats=list(FORMATS)) as image:
                if image.width * image.height > MOST_PIXELS:
                    raise Problem("The picture has too many pixels.", "Make it smaller and try again.", code="bad")
                kind = str(image.format)
                image.verify()
                return kind
    except Problem:
        raise
    except Exception:  # Pillow raises many kinds for broken files
        raise Problem("The file is not a picture that can be shown.", hint, code="bad") from None


def _replace(request: HttpRequest, work: Work) -> HttpResponse:
    name, identifier = text_from(request, "field"), text_from(request, "record")
    field = work.field(name)
    if field.kind != "picture":
        raise Problem(f"{field.label} does not hold pictures.", "Choose a field that does.", code="bad")
    upload = request.FILES.get("file")
    try:
        content = None if upload is None else _content(upload)
    except Problem as problem:
        return _refused(request, work, identifier, field, f"{problem.what} {problem.hint}")
    return told(request, work, editing.edit_value(work, identifier, name, content))


def _content(upload: Any) -> bytes:
    """What was sent. Raises Problem when it is no picture, or too large a one."""
    if upload.size > MOST_BYTES:
        raise Problem(f"The picture is larger than {MOST_BYTES // 1_000_000} MB.", "Make it smaller and try again.")
    content = upload.read()
    checked(content)
    return content


def _refused(request: HttpRequest, work: Work, identifier: str, field: FieldSpec, sentence: str) -> HttpResponse:
    """Say beside the field why a file was not taken; what was there stays."""
    view = work.record(identifier)
    view = replace(view, complaints=(*view.complaints, Complaint("check", sentence, (field.name,))))
    answer = Answer(request, work).panel(view.moved_to(work.position(identifier)))
    return answer.say(f"{field.label}: {sentence}").response()
