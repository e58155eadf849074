"""Bytes: pictures, and binary data that is shown by its size only."""

from __future__ import annotations

from typing import Any

from ..model.dataset import FieldSpec
from .base import Kind, Nonconforming, Unreadable
from .formats import Formats

# The first bytes of the picture formats that browsers show (each format's own specification).
SIGNATURES = (b"\x89PNG\r\n\x1a\n", b"\xff\xd8\xff", b"GIF87a", b"GIF89a", b"BM")


def is_picture(raw: bytes) -> bool:
    """Whether bytes start like a PNG, JPEG, GIF, BMP or WebP picture."""
    return raw.startswith(SIGNATURES) or (raw[:4] == b"RIFF" and raw[8:12] == b"WEBP")


def size_text(length: int) -> str:
    """A number of bytes for people."""
    if length < 1000:
        return f"{length} bytes"
    return f"{length / 1000:.1f} kB" if length < 1_000_000 else f"{length / 1_000_000:.1f} MB"


class Binary(Kind):
    name = "binary"
    label = "Binary data"
    editor = "none"

    def read(self, raw: Any, field: FieldSpec) -> Any:
        return raw if raw is None or isinstance(raw, bytes) else Nonconforming(raw)

    def parse(self, text: str, field: FieldSpec, formats: Formats) -> Any:
        if not text:
            return None
        raise Unreadable("Binary data can't be typed.")

    def text(self, raw: Any, field: FieldSpec) -> str:
        # Windows read the length in place of the bytes: see enlace.core.dataset.window.
        if raw is None:
            return ""
        length = raw if isinstance(raw, int) else len(raw)
        return f"{self.label.split()[0].lower()}, {size_text(length)}"


class Picture(Binary):
    name = "picture"
    label = "Picture"
    editor = "picture"
