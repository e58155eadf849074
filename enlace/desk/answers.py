"""What the desk answers: HTML fragments, and events for the page's scripts."""

from __future__ import annotations

import json
from collections.abc import Mapping
from typing import Any

from django.http import HttpRequest, HttpResponse
from django.template.loader import render_to_string
from django.urls import reverse
from django.utils.html import format_html
from django.utils.safestring import mark_safe

from .arranged import SPLIT
from .contexts import (
    base_context,
    drift_lines,
    keys_of,
    panel_context,
    prefix_of,
    rail_context,
    row_html,
    strip_context,
)
from .controls import Drawing
from .drawing import ALL, OF_RECORD, OF_ROWS, further_grid, grid_html, lone_controls, places_in
from .editors import EditorView, calculated_text, editor_views
from .grouped import layout_of, line_of, line_total
from .record_view import RecordView, record_digest
from .sentence import passing
from .showing import details_of
from .templatetags.drawn import panel, rail
from .work import Work

MOST_TOLD = 600  # characters of a text that travels in an event


class Answer:
    """One answer to the page: fragments in a fixed order, and events."""

    def __init__(self, request: HttpRequest, work: Work) -> None:
        self.request, self.work = request, work
        self.places = places_in(request)  # where the page stands in what belongs to the record
        self.parts: list[str] = []
        self.events: dict[str, Any] = {}

    def template(self, name: str, **context: Any) -> Answer:
        self.parts.append(render_to_string(f"desk/{name}", {**base_context(self.work), **context}, self.request))
        return self

    def panel(self, view: RecordView | None, moved: bool = False, drawing: Drawing | None = None) -> Answer:
        """The editors of a record; tells the page that it is the current one.

        moved: nothing else has changed. drawing: of the record, where it is there already.
        """
        if view is not None:
            current = {"id": view.id, "position": view.position, "p": self.work.prefix}
            # With group rows between them, the line of a record on the screen is not its place among the records.
            if self.work.asked.groups and view.position is not None:
                current["line"] = line_of(self.work, layout_of(self.work), view.position)
            self.events["enlace:current"] = current
        if drawing is None:
            context = {**base_context(self.work), **panel_context(self.work, view)}
            drawing = Drawing(self.work.part, context, self.work, view)
        self.parts.append(panel(drawing.context, swap=True))
        if self.work.sheet is not None:
            self.parts += lone_controls(self.work.sheet, drawing, OF_RECORD if moved else ALL)
            self._details(view)
        return self

    def _details(self, view: RecordView | None) -> None:
        """What belongs to the record, where the page shows it: in this answer, so that nobody has to ask for it."""
        places = self.places
        if self.request.method == "POST" and not self.work.prefix:
            self.work.store.look_again()  # the act that leads here may have changed the draft
        for detail in details_of(self.work, view, places, whole=False):
            assert self.work.sheet is not None
            place, blank = places.get(detail.part.name, {}), "blank" in detail.context
            if not (blank and "nothing" in place):
                self.parts.append(panel(detail.context, swap=True))
                self._rails(detail)
                self.parts += lone_controls(self.work.sheet, detail)
            if "headless" in place and not blank:
                self.grid(detail)
            else:
                self._source(detail)
        if told := self.work.troubles.told:
            self.say(" ".join(told))

    def _rails(self, drawing: Drawing) -> None:
        """Each navigator of a part."""
        assert self.work.sheet is not None
        for key in self.work.sheet.keys(drawing.part.name, "navigator"):
            self.parts.append(rail({**drawing.context, "n": f"{drawing.context['p']}{key and key + '-'}"}, swap=True))

    def _source(self, drawing: Drawing, further: Mapping[str, dict[str, Any]] | None = None) -> None:
        """Tell the page where a part of it stands now, with its rows. further: its further grids, where they are known."""
        place = {key: drawing.context.get(key) for key in ("p", "at", "view", "start", "size", "position", "widths")}
        place |= {"total": drawing.context.get("grid_total"), "line": drawing.context.get("at_line")}
        place |= {
            "record": drawing.view.id if drawing.view else drawing.context.get("wanted", ""),
            "unread": "unread" in drawing.context,
            "editable": bool(drawing.context["dataset"].editable),
        }
        # Another record may need other widths in the further grids; the first one’s travel with its rows.
        widths: dict[str, str] = {}
        for own in (self._further(drawing) if further is None else further).values():
            widths[own["g"]] = own.get("widths", "")
            rows = mark_safe(own.get("rows", ""))
            self.parts.append(format_html('<template data-rows-of="{}">{}</template>', own["g"], rows))
        place |= {"grids": widths} if widths else {}
        told = '<template data-source="{}" data-detail="{}">{}</template>'
        self.parts.append(
            format_html(told, drawing.context["p"], json.dumps(place), mark_safe(drawing.context["rows"]))
        )

    def _further(self, drawing: Drawing) -> dict[str, dict[str, Any]]:
        """The grids that a part has beside its first one, by their keys."""
        keys = keys_of(drawing.work)[1:] if drawing.work is not None else []
        return {key: further_grid(drawing, key) for key in keys}

    def grid(self, drawing: Drawing) -> Answer:
        """The whole grids of a part, headings included."""
        # In templates, since the page puts a grid's rows and its place in by itself once the frame stands.
        further = self._further(drawing)
        own = [(drawing.context["p"], drawing.context)]
        own += [(more["g"], {**drawing.context, **more}) for key, more in further.items() if key != SPLIT]
        for prefix, context in own:
            # Its rows come behind it with the place of the source, as they do on each move.
            html = grid_html(drawing, {**context, "rows": ""}, further.get(SPLIT))
            self.parts.append(format_html('<template data-grid-of="{}">{}</template>', prefix, html))
        self._source(drawing, further)
        return self

    def pulsed(self) -> Answer:
        """The answer is one that nobody pressed for: the page leaves alone what is being typed."""
        self.events["enlace:pulsed"] = {}
        return self

    def drifted(self, identifier: str, position: int, stored: Mapping[str, Any] | None) -> Answer:
        """Warn that somebody else changed the record since the page read it."""
        pending = self.work.store.get(identifier)
        self.events["enlace:drift"] = {"record": identifier, "seen": record_digest(stored), "p": self.work.prefix}
        lines = [] if stored is None or pending is None else drift_lines(self.work, pending, stored)
        return self.template("drift.html", swap=True, gone=stored is None, pending=pending, lines=lines)

    def notes(self, view: RecordView, name: str) -> Answer:
        """What stands beside each editor after an edit of one field; the editors keep what is being typed in them.

        Notes without a word are left out: the page empties all that are not named.
        """
        editors = editor_views(self.work, view)
        spoken = [editor for editor in editors if editor.noted(view.state)]
        edited = next(editor for editor in editors if editor.field.name == name)
        noted = {
            "p": self.work.prefix,
            "record": view.id,
            "number": edited.number,
            "notes": [editor.number for editor in spoken],
        }
        noted["state"] = view.state
        if len(edited.text) < MOST_TOLD:  # a long text stays as it was typed
            noted["text"] = edited.text
        # By number: an id in the page could be anything that a column is called.
        noted["others"] = _others(self.work, editors, edited)
        noted["fixed"] = {editor.number: editor.fixed for editor in editors if editor.field.read_only_when}
        # It grows with the fields of a form: in the body, since browsers and what stands between refuse long headers.
        self.parts.append(
            format_html('<template data-event="enlace:noted" data-detail="{}"></template>', json.dumps(noted))
        )
        if edited.state == "wrong":
            self.say(f"{edited.field.label}: {edited.message}")
        if self.work.sheet is not None:
            # What only shows, charts and values, follows at once; editors keep what is being typed in them.
            drawing = Drawing(self.work.part, base_context(self.work), self.work, view)
            self.parts += lone_controls(self.work.sheet, drawing, OF_ROWS, ("value",))
        return self.template("notes.html", record=view, editors=spoken)

    def masters(self) -> Answer:
        """What is calculated of the record's master over its details, and of that one's, where the page shows them."""
        work, master = self.work, self.work.master
        while work.sheet is not None and work.part.name and master:
            above = Work(
                work.person, work.form, work.formats, part=work.part.of, kept=work.kept is not None,
                parameter_values=work.parameter_values, on_sheet=True, above=None,
            )  # fmt: skip
            # One draft for all parts of a page; asking for its row again for each would be a query for nothing.
            above.store.share(self.work.store)
            # Nothing of that master is calculated over details, so nothing above it changes by this edit either.
            if not any("(" in name for name in above.rules.computed.related):
                return self
            view = above.record(master)
            names = [field.name for field in above.dataset.shown if field.formula]
            others = {above.dataset.numbers[name]: calculated_text(above, view, name)[:80] for name in names}
            told = json.dumps({"p": above.prefix, "record": view.id, "others": others})
            self.parts.append(
                format_html('<template data-event="enlace:calculated" data-detail="{}"></template>', told)
            )
            # The master’s row shows the same calculated fields as its panel: both change, or the page contradicts
            # itself.
            self.parts.append(row_html(above, view))
            drawing = Drawing(above.part, base_context(above), above, view)
            assert above.sheet is not None
            self.parts += lone_controls(above.sheet, drawing, (), ("value",))
            pending = view.pending
            master = above.part.master_of(pending) if pending else above.part.master_by(view.stored or {})
            work = above
        return self

    def row(self, view: RecordView) -> Answer:
        """The record's row, wherever the grid shows it."""
        self.parts.append(row_html(self.work, view))
        return self

    def total(self, records: int) -> Answer:
        """How many there are: the scroll bar counts lines of the screen, group rows among them; the navigator counts records."""
        lines = line_total(self.work) if self.work.asked.groups else records
        words = self.work.formats.number()(records)
        self.events["enlace:total"] = {"total": lines, "records": records, "words": words, "p": self.work.prefix}
        return self

    def rail(self, position: int | None, total: int | None) -> Answer:
        if total is not None:
            self.total(total)
        for key in keys_of(self.work, "navigator"):
            context = {**rail_context(self.work, position, total), "n": prefix_of(self.work, key)}
            self.parts.append(rail({**base_context(self.work), **context}, swap=True))
        return self

    def passing(self) -> Answer:
        """How many of all records pass the filters, for the sentence; counted where it is not known."""
        if words := passing(self.work, ask=True):
            self.events["enlace:passing"] = {"words": words, "p": self.work.prefix}
        return self

    def strip(self) -> Answer:
        self.events["enlace:draft"] = {"revision": self.work.store.revision}
        return self.template("strip.html", swap=True, **strip_context(self.work), at=self._whole())

    def _whole(self) -> str:
        """Where acts on the whole draft go: on a sheet to the form itself, whichever of its parts answers."""
        return reverse("work", args=[self.work.form.pk]) if self.work.sheet else self.work.address

    def say(self, sentence: str) -> Answer:
        """A quiet line that a screen reader gets too."""
        self.events["enlace:said"] = {"sentence": sentence[:MOST_TOLD]}
        return self

    def stale(self) -> Answer:
        """The rows on the page are not what they were."""
        self.events["enlace:stale"] = {"p": self.work.prefix}
        return self

    def response(self, status: int = 200) -> HttpResponse:
        response = HttpResponse("".join(self.parts), status=status)
        if self.events:
            # Escaped to ASCII by default, which is all that a header may hold.
            response["HX-Trigger"] = json.dumps(self.events)
        return response


def _others(work: Work, editors: list[EditorView], edited: EditorView) -> dict[int, str]:
    """What the editors beside an edited one show now: calculated fields, and the rest of a reference."""
    also = {name for name, _ in edited.field.lookup.also} if edited.field.lookup else set()
    return {editor.number: editor.text[:80] for editor in editors if editor.field.formula or editor.field.name in also}
