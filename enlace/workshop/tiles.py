"""Where a form's tile stands on the start page, as pages of the workshop say it."""

from __future__ import annotations

from collections.abc import Mapping

from enlace.core.problem import Problem

from .models import Form

FIELDS = ("section", "about", "place", "counted", "listed")


def put_tile(form: Form, said: Mapping[str, str], of: str = "") -> None:
    """Take over what a page says of a form's tile, unsaved. of: what follows the names of its boxes. Raises Problem; the form
    has what was typed all the same, to be shown again."""
    form.section = " ".join(said.get(f"section{of}", "").split())[:60]
    form.about = " ".join(said.get(f"about{of}", "").split())[:200]
    form.counted, form.listed = f"counted{of}" in said, f"listed{of}" in said
    text = said.get(f"place{of}", "").strip() or "100"
    if not text.isdecimal() or int(text[:9]) > 10_000:
        form.place = text  # never saved
        raise Problem(
            f"“{text[:20]}” is not a place on the start page.", "Type a whole number up to 10000.", code="bad"
        )
    form.place = int(text)
