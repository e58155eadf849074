"""A form's document: the one that is kept, or the one that Enlace makes by itself; and the form as a wiring check sees it."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace
from functools import lru_cache
from typing import Any

from django.conf import settings
from django.db import transaction

from enlace.accounts.models import Person
from enlace.core.dataset.window import Rows
from enlace.core.form import Control, FormDocument, Source, document_of, edit
from enlace.core.form.defaults import document_for, with_detail
from enlace.core.form.document import put
from enlace.core.kinds import Formats
from enlace.core.model.dataset import DatasetSpec
from enlace.core.problem import Problem
from enlace.core.server import Catalog
from enlace.core.server.dialects import server_kind
from enlace.core.wiring import Wired

from .details import forget, taken_off
from .models import Detail, Form, FormStep, Project, Rule

MOST_STEPS = 200
MEASURED = 60  # rows by which columns are measured


def sources_of(form: Form) -> tuple[tuple[Source, ...], dict[str, Detail | None]]:
    """The sources of a form, its own first, and the detail behind each (None for its own)."""
    main = Source(form.own_source, str(form.dataset_id), form.title)
    sources, names = [main], {None: main.name}
    behind: dict[str, Detail | None] = {main.name: None}
    for detail in form.all_details:
        name = names[detail.pk] = detail.name
        behind[name] = detail
        columns = tuple(str(c) for c in detail.columns)
        parent = names[detail.of_id]
        sources.append(
            Source(name, str(detail.dataset_id), detail.title, parent, columns, tuple(map(str, detail.master_columns)))
        )
    return tuple(sources), behind


def document(form: Form) -> FormDocument:
    """What a form's sheet is now."""
    return _standing(form, form.document)


def _standing(form: Form, text: str) -> FormDocument:
    """A document as it was kept, over the form's sources as they are; of none the one that Enlace makes by itself."""
    sources, behind = sources_of(form)
    # The sources are those of today even under an old sheet: a detail that is gone must not be shown because the text
    # names it.
    if text:
        return replace(_read(text), sources=sources)
    fields = {name: _shown(form.dataset if detail is None else detail.dataset) for name, detail in behind.items()}
    return document_for(sources, fields)


@lru_cache(maxsize=128)
def _read(text: str) -> FormDocument:
    return document_of(text)  # a value of its text, whoever keeps that


def _shown(dataset: Any) -> list[str]:
    return [field.name for field in dataset.to_spec().shown]


@transaction.atomic
def change(
    form: Form, person: Person, layout: int, label: str, act: Callable[[FormDocument], FormDocument]
) -> FormDocument:
    """Change a form's document, with a step to go back to. layout: the count that the page showed.

    A source that the document lacks afterwards is off the form. Raises Problem "changed" when another page has changed
    it meanwhile: nothing is overwritten.
    """
    _lock(form, layout)
    before = document(form)
    made = act(before)
    _stepped(form, person, label, _details_on(form))
    if len(made.sources) < len(before.sources):
        _have(form, [source.name for source in made.sources])
    _keep(form, made.to_json())
    return made


@transaction.atomic
def add_source(form: Form, person: Person, make: Callable[[], Detail]) -> Detail:
    """Give a form one more detail, with a step to go back to. Raises what making it raises."""
    _lock(form, form.layout)
    before = _details_on(form)
    detail = make()
    form.__dict__.pop("all_details", None)
    _stepped(form, person, f"{detail.title} added", before)
    # A sheet that was laid out by hand gets a page for it; another one is laid out anew by itself.
    fields = _shown(detail.dataset)
    text = with_detail(document(form), detail.name, fields).to_json() if form.document else ""
    _keep(form, text)
    return detail


@transaction.atomic
def remove_source(form: Form, person: Person, layout: int, name: str) -> str:
    """Take a source off a form, with what belongs to it and the controls that show them; what to say of it."""
    _lock(form, layout)
    before = document(form)
    made, title = edit.remove_source(before, name), before.source(name).title or name
    _stepped(form, person, f"{title} taken off", _details_on(form))
    _have(form, [source.name for source in made.sources])
    _keep(form, made.to_json() if form.document else "")
    return f"{title} is off the form now. Its table was not touched."


@transaction.atomic
def step(form: Form, person: Person, layout: int, back: bool) -> str:
    """Go a step back, or forth again; what it was. Raises Problem when there is none."""
    _lock(form, layout)
    # What is undone stays in its place behind the others, so the first of it is the next one to redo.
    several = form.steps.filter(undone=not back)
    kept_step: FormStep | None = several.last() if back else several.first()
    if kept_step is None:
        raise Problem("There is nothing to undo." if back else "There is nothing to redo.", "", code="bad")
    # A step is turned round as it is taken: it holds the other side of where one stands now.
    text, names = kept_step.document, kept_step.details
    kept_step.document, kept_step.details, kept_step.undone = form.document, _details_on(form), back
    kept_step.save()
    if names is not None and names != kept_step.details:
        _have(form, names)
    _keep(form, text)
    return kept_step.label


def _lock(form: Form, layout: int) -> None:
    """Let a form be as it is now, for this page alone. Raises Problem "changed" when it is not the one that a page showed."""
    form.document, form.layout = Form.objects.select_for_update().values_list("document", "layout").get(pk=form.pk)
    form.__dict__.pop("all_details", None)
    if form.layout != layout:
        raise Problem("Somebody else has changed this form meanwhile.", "What you did was not done.", code="changed")


def _details_on(form: Form) -> list[str]:
    return [detail.name for detail in form.all_details]


def _have(form: Form, names: Sequence[str]) -> None:
    """Let a form have the details of these names, and no others."""
    for detail in Detail.everything.filter(form=form):
        if detail.off == (detail.name in names):
            detail.off = not detail.off
            detail.save(update_fields=["off"])
            if detail.off:
                taken_off.send(Detail, instance=detail)
    form.__dict__.pop("all_details", None)


def _stepped(form: Form, person: Person, label: str, details: list[str]) -> None:
    """Keep a form as it stands as a step to go back to. details: the names of those that it has."""
    # What was undone can't be redone over something new: it would bring back a sheet that lacks it.
    lost, _ = form.steps.filter(undone=True).delete()
    form.steps.create(label=label[:120], document=form.document, details=details, person=person)
    old = list(form.steps.order_by("-pk").values_list("pk", flat=True)[MOST_STEPS:])
    form.steps.filter(pk__in=old).delete()
    off = Detail.everything.filter(form=form, off=True)
    if (lost or old) and off.exists():
        reached = {name for names in form.steps.values_list("details", flat=True) for name in names or ()}
        forget(off.exclude(name__in=reached))


def seen(form: Form, layout: int) -> FormDocument | None:
    """The document as a page showed it, by its count of changes; None where that is not known any more."""
    later = form.layout - layout
    if later <= 0:
        return document(form) if not later else None
    # Each step holds the sheet as it stood before it, so the n-th from the end is what a page showed n changes ago.
    texts = list(form.steps.filter(undone=False).order_by("-pk").values_list("document", flat=True)[:later])
    return _standing(form, texts[-1]) if len(texts) == later else None


def _keep(form: Form, text: str) -> None:
    form.document, form.layout = text, form.layout + 1
    form.save(update_fields=["document", "layout"])


def form_renamed(form: Form, before: str) -> None:
    """Let what names a form by its title name it still: buttons of the project's forms, and what opens first."""
    Project.objects.filter(pk=form.project_id, opens=before).update(opens=form.title)
    for other in Form.objects.filter(project=form.project_id).exclude(document=""):
        there = document(other)
        several = [control for control in there.all() if opens_form(control, before)]
        for control in several:
            there = put(there, replace(control, settings={**control.settings, "to": form.title}))
        if several:
            _keep(other, there.to_json())


def opens_form(control: Control, title: str) -> bool:
    """Whether a control is a button that opens the form of a title."""
    settings = control.settings
    return control.kind == "button" and settings.get("act") == "form" and settings.get("to") == title


def wired(
    form: Form, made: FormDocument | None = None, rows: dict[str, Sequence[Sequence[Any]]] | None = None
) -> Wired:
    """A form as the wiring check sees it. A source whose dataset can't be had is told as gone."""
    sources, behind = sources_of(form)
    datasets: dict[str, DatasetSpec | None] = {}
    for name, detail in behind.items():
        try:
            datasets[name] = (form.dataset if detail is None else detail.dataset).to_spec()
        except Problem:
            datasets[name] = None
    # Buttons name forms and actions by title, so that a project can move to another database where numbers differ.
    titles = list(form.project.forms.values_list("title", flat=True))
    actions = list(form.actions.values_list("title", flat=True))
    unserved = _unserved(form, sources, datasets)
    types = _types(form, datasets)
    converts = server_kind(form.dataset.connection.kind).converts
    numbers = {(form if detail is None else detail).dataset_id for detail in behind.values()}
    kept = frozenset(Rule.objects.filter(dataset__in=numbers, own=False).values_list("expression", flat=True))
    return Wired(
        made or document(form), datasets, titles, actions, unserved, rows or {}, _reached(form), types, converts, kept,
        Formats.of(settings.LOCALE),
    )  # fmt: skip


def some_rows(form: Form) -> dict[str, Sequence[Sequence[Any]]]:
    """The first rows of each source of a form, its details' of whatever master, as far as they can be had."""
    rows: dict[str, Sequence[Sequence[Any]]] = {}
    for name, detail in sources_of(form)[1].items():
        dataset = form.dataset if detail is None else detail.dataset
        try:
            read = Rows.of(dataset.connection.to_spec(), dataset.to_spec()).window(0, MEASURED)
            rows[name] = [row.values for row in read]
        except Problem:
            continue  # away, or a query that asks for values
    return rows


def _types(form: Form, datasets: dict[str, DatasetSpec | None]) -> dict[str, dict[str, str]]:
    """The types that the columns of each source's table have now, as far as the server tells."""
    types: dict[str, dict[str, str]] = {}
    for name in datasets:
        try:
            if table := _table(datasets, name):
                columns = Catalog.of(form.dataset.connection.to_spec()).table(table).columns
                types[name] = {column.name: column.type_text for column in columns}
        except Problem as problem:
            if problem.code == "missing":
                types[name] = {}
    return types


def _reached(form: Form) -> bool:
    """Whether a form has a tile on the start page, or a button of another form of the project opens it."""
    if form.listed:
        return True
    others = form.project.forms.exclude(pk=form.pk).exclude(document="").values_list("document", flat=True)
    return any(opens_form(control, form.title) for text in others for control in _read(text).all())


def _unserved(form: Form, sources: Sequence[Source], datasets: dict[str, DatasetSpec | None]) -> list[str]:
    """The details whose link begins no index, as far as the server tells."""
    unserved = []
    try:
        for source in sources[1:]:
            table, columns = _table(datasets, source.name), set(source.columns)
            if table and columns:
                indexes = Catalog.of(form.dataset.connection.to_spec()).indexes(table)
                # The order within the link does not matter to an index as long as the link is how it begins.
                unserved += [] if any(set(i[: len(columns)]) == columns for i in indexes) else [source.name]
    except Problem:
        return []
    return unserved


def _table(datasets: dict[str, DatasetSpec | None], name: str) -> str:
    dataset = datasets.get(name)
    return dataset.table if dataset is not None and not dataset.query and not dataset.is_view else ""
