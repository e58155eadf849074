"""A project from files: what they say replaces what it was, in one transaction, or nothing of it does."""

from __future__ import annotations

import json
from collections.abc import Collection, Iterable, Mapping
from copy import copy
from dataclasses import dataclass, field
from typing import Any
from urllib.parse import parse_qs

from django.db import transaction

from enlace.core.dataset.stored import lookup_of
from enlace.core.exchange.incoming import own_names
from enlace.core.form.document import as_values, document_of
from enlace.core.problem import Problem
from enlace.core.server.dialects import SERVER_KINDS
from enlace.core.view import Asked
from enlace.desk.addresses import asked_in
from enlace.desk.models import Arrangement, Draft, KeptView
from enlace.workshop import layout, sheet
from enlace.workshop.details import forget
from enlace.workshop.models import Connection, Dataset, Detail, Field, Form, Project, Rule, ServerAction
from enlace.workshop.models.dataset import new_revision

from .bodies import fill
from .difference import differences
from .listed import Listed, forget_read, standing
from .texts import read
from .vouching import vouch
from .writing import FORMAT, VERSION, Files, files_of, slugs

MOST_FILES = 5_000


@dataclass
class Outcome:
    """What bringing files in comes to. changes: in words. told: what people should know, such as what does not fit. before,
    after: what the project's files said, and say."""

    project: Project
    before: Files = field(default_factory=dict)
    after: Files = field(default_factory=dict)
    changes: list[str] = field(default_factory=list)
    told: list[str] = field(default_factory=list)


def values_of(texts: Mapping[str, str]) -> Files:
    """By path, what each file says. Raises Problem for a text that is none, or a folder that is no project of this version."""
    if len(texts) > MOST_FILES:
        raise Problem(f"There are more than {MOST_FILES:,} files.", "Choose the folder of one project.", code="bad")
    files = {path: read(text, path) for path, text in texts.items()}
    head = files.get("project.yaml")
    if not isinstance(head, dict) or head.get("format") != FORMAT:
        raise Problem("There is no project.yaml that says it is a project of Enlace.", "Choose its folder.", code="bad")
    version = head.get("version")
    if not isinstance(version, int) or version > VERSION:
        raise Problem(
            f"The project is of version {version}.",
            f"This Enlace reads version {VERSION} and those before it.",
            code="bad",
        )
    for path in files:
        if path != "project.yaml" and path.split("/")[0] not in ("connections", "datasets", "forms"):
            raise Problem(f"{path} is no file of a project.", "Leave it out.", code="bad")
    if version < 2:
        _read_as_addresses(files)
    return files


def _read_as_addresses(files: Files) -> None:
    """Until version 2 a view was the text of an address."""
    forms = (said for path, said in files.items() if path.startswith("forms/") and isinstance(said, dict))
    for view in (view for form in forms for view in form.get("views", ()) if isinstance(view, dict)):
        if isinstance(query := view.pop("query", None), str):
            view["asked"] = asked_in(parse_qs(query, max_num_fields=200)).kept()


@transaction.atomic
def brought_in(files: Files, name: str = "", onto: Connection | None = None, remove: bool = False) -> Outcome:
    """Bring files in. name: of the project, if not the one that they say. onto: a connection that takes the place of all of
    theirs; the project gets one like it where it is another project's. remove: what the files do not have goes, with the
    drafts on it. Raises Problem; nothing is changed then.
    """
    head = {**files["project.yaml"], **({"name": name} if name else {})}
    for name_apart in ("format", "version", "datasets", "forms"):
        head.pop(name_apart, None)
    project = Project.objects.filter(name=head.get("name")).first() or Project()
    # What differs is told between what stood there and what stands there afterwards, not from the files: what Enlace
    # makes of them counts.
    before = files_of(project) if project.pk else {}
    fill(project, head, "project.yaml")
    project.save()
    outcome = Outcome(project, before)
    onto = _own(project, onto) if onto is not None else None
    kinds = dict(project.connections.values_list("pk", "kind"))
    connections = _connections(project, files, onto, outcome)
    # What is compiled of a dataset is for a kind of server.
    elsewhere = {item.pk for item in connections.values() if kinds.get(item.pk, item.kind) != item.kind}
    datasets = _datasets(project, files, connections, onto, elsewhere)
    if onto is not None and _moves(files, onto):
        for dataset in datasets.values():
            sheet.move(dataset)
    forms = _forms(project, files, datasets)
    vouch(datasets.values(), forms)
    if remove:
        # Forms first: they hold on to their datasets.
        gone = project.forms.exclude(pk__in=[form.pk for form in forms])
        for draft in Draft.objects.filter(form__in=gone).select_related("person", "form"):
            if count := draft.counts.get("all", 0):
                what = f"{count:,} pending record{'s' * (count != 1)}"
                outcome.told.append(f"With {draft.form.title} {what} of {draft.person.shown_name} go.")
        gone.delete()
        project.datasets.exclude(pk__in=[dataset.pk for dataset in datasets.values()]).delete()
    after = outcome.after = files_of(Project.objects.get(pk=project.pk))
    outcome.changes = (
        differences(before, after) if before else [f"{project.name} is a new project of {len(files)} files."]
    )
    outcome.told += _left(files, after)
    return outcome


def _own(project: Project, connection: Connection) -> Connection:
    """The project's own connection to where another one leads: a project that leans on another's could not be taken out."""
    if connection.project_id == project.pk:
        return connection
    own = list(project.connections.all())
    place = (connection.kind, connection.parameters)
    there = next((item for item in own if (item.kind, item.parameters) == place), None)
    if there is not None:
        return there
    made = copy(connection)
    made.pk, made.project, made.practice = None, project, False
    made.name = own_names([*(item.name for item in own), connection.name])[-1]
    made.save(force_insert=True)
    return made


def _moves(files: Files, connection: Connection) -> bool:
    """Whether the files are of another kind of server than the connection that they are brought onto."""
    kinds = {
        said.get("kind") for path, said in files.items() if path.startswith("connections/") and isinstance(said, dict)
    }
    return bool(kinds - {connection.kind})


def _left(files: Files, after: Files) -> list[str]:
    # A connection that files do not name may serve another project of the same server.
    beyond = [path.removesuffix(".yaml") for path in after if path not in files and not path.startswith("connections/")]
    return [f"{name} is not among the files, and stays as it is." for name in beyond]


def _part(files: Files, folder: str) -> list[tuple[str, Any]]:
    """(what a file is called, what it says) of a folder: in the order that the project says, then in that of their names."""
    order = files["project.yaml"].get(folder, [])
    order = order if isinstance(order, list) else []
    places = {name: i for i, name in enumerate(order) if isinstance(name, str)}
    there = [path.split("/")[1].removesuffix(".yaml") for path in sorted(files) if path.startswith(f"{folder}/")]
    return [(name, files[f"{folder}/{name}.yaml"]) for name in sorted(there, key=lambda n: places.get(n, len(places)))]


def _connections(project: Project, files: Files, onto: Connection | None, outcome: Outcome) -> dict[str, Connection]:
    if onto is not None:
        return {}
    by_name = {item.name: item for item in project.connections.all()}
    for slug, said in _part(files, "connections"):
        where = f"connections/{slug}.yaml"
        item = by_name.get(str(said.get("name")) if isinstance(said, dict) else "") or Connection(project=project)
        was = (item.kind, item.parameters)
        fill(item, said, where)
        item.parameters = {name: str(value) for name, value in item.parameters.items()}  # a port is a number to hands
        if item.kind not in SERVER_KINDS:
            raise Problem(f"{where}: there is no kind of server called {item.kind}.", "", code="bad")
        if (item.kind, item.parameters) != was:
            item.password, item.test_passed = "", None  # it goes with its server only
        if item.password_from == Connection.PasswordFrom.KEPT and not item.password:
            outcome.told.append(
                f"The connection {item.name} needs its password: files never have it. Type it on its page."
            )
        item.save()
        by_name[item.name] = item
    return by_name


def _datasets(
    project: Project,
    files: Files,
    connections: Mapping[str, Connection],
    onto: Connection | None,
    elsewhere: Collection[int],
) -> dict[str, Dataset]:
    """elsewhere: the connections that lead to another kind of server than before."""
    several = list(project.datasets.prefetch_related("fields", "rules").order_by("pk"))
    called = slugs((item.pk, item.name) for item in several)
    there = {called[item.pk]: item for item in several}
    made = {}
    for slug, said in _part(files, "datasets"):
        where = f"datasets/{slug}.yaml"
        item = there.get(slug) or Dataset(project=project)
        was = standing(item)
        fill(item, said, where)
        connection = onto or connections.get(str(said.get("connection")))
        if connection is None:
            raise Problem(f"{where} names the connection {said.get('connection')}, which is not there.", "", code="bad")
        item.connection = connection
        if not said.get("fields"):
            raise Problem(f"{where} has no fields.", "A dataset needs one.", code="bad")
        if new := not item.pk:
            item.save()
        own = {"dataset": item}
        fields = Listed(Field, f"{where}, fields", own, place=True, more=_listed)
        other = fields.bring(() if new else item.fields.all(), said.get("fields"))
        rules = Listed(Rule, f"{where}, rules", own)
        other |= rules.bring(() if new else item.rules.all(), said.get("rules", []))
        if not new and (other or standing(item) != was or connection.pk in elsewhere):
            item.revision = new_revision()  # what was compiled of it serves no more
            item.save()
        forget_read(item)
        made[slug] = item
    return made


def _forms(project: Project, files: Files, datasets: Mapping[str, Dataset]) -> list[Form]:
    called = slugs(project.forms.order_by("pk").values_list("pk", "title"))
    parts = _part(files, "forms")
    filled = {slug for slug, _ in parts}
    filled_anew = [pk for pk, slug in called.items() if slug in filled]
    forget(Detail.everything.filter(form__in=filled_anew, off=True))  # a file may call another one so
    for model in (Arrangement, KeptView):
        # Those of persons are their own, and no part of the project.
        model.objects.filter(form__in=filled_anew, person=None).delete()
    several = project.forms.select_related("project").prefetch_related("details", "actions")
    there = {called[item.pk]: item for item in several}
    made = []
    for slug, said in parts:
        where = f"forms/{slug}.yaml"
        form = there.get(slug) or Form(project=project)
        was = standing(form)
        fill(form, said, where)
        form.dataset = _dataset_of(datasets, said, where)
        new = not form.pk
        if new or standing(form) != was:
            form.save()
        _details(form, () if new else form.details.all(), said, where, datasets)
        own = {"form": form}
        actions = Listed(ServerAction, f"{where}, actions", own, place=True)
        actions.bring(() if new else form.actions.all(), said.get("actions", []))
        Listed(Arrangement, f"{where}, arrangements", own).bring((), said.get("arrangements", []))
        Listed(KeptView, f"{where}, views", own, more=_asks).bring((), said.get("views", []))
        forget_read(form)
        _sheet(form, said.get("sheet"), where)
        made.append(form)
    return made


def _listed(item: Field, body: Any, here: str) -> None:
    """Raises Problem where a list shows, or gives, what it does not have."""
    lookup = lookup_of(item.lookup)
    if lookup is None or not lookup.table:
        return
    there = {column.name for column in lookup.columns}
    if lacking := [name for name in (lookup.target, *lookup.shows) if name and name not in there]:
        raise Problem(f"{here}, lookup: its columns lack {lacking[0]}.", "Mend it in the file.", code="bad")


def _asks(item: KeptView, body: Any, here: str) -> None:
    try:
        item.asked = Asked.of(item.asked).kept()
    except Problem as problem:
        raise Problem(f"{here}, asked: {problem}", "Mend it in the file.", code="bad") from None


def _dataset_of(datasets: Mapping[str, Dataset], said: Any, where: str) -> Dataset:
    dataset = datasets.get(str(said.get("dataset")))
    if dataset is None:
        known = ", ".join(datasets) or "none"
        raise Problem(
            f"{where} names the dataset {said.get('dataset')}, which is not there.", f"There is {known}.", code="bad"
        )
    return dataset


def _details(form: Form, there: Iterable[Detail], said: Any, where: str, datasets: Mapping[str, Dataset]) -> None:
    above: dict[str, Detail] = {}

    def more(item: Detail, body: Any, here: str) -> None:
        item.dataset = _dataset_of(datasets, body, here)
        of = body.get("of")
        if of is not None and str(of) not in above:
            raise Problem(
                f"{here} is of {of}, which does not stand before it.", "Masters come before their details.", code="bad"
            )
        item.of = above[of] if of is not None else None
        item.form = form
        _linked(item, item.of.dataset if item.of else form.dataset, here)
        if not item.pk:
            item.save()  # the next one may be of it
        above[item.name] = item

    listed = Listed(Detail, f"{where}, details", {"form": form}, place=True, more=more)
    listed.bring(there, said.get("details", []))
    # A cached property, read before its details were there.
    form.__dict__.pop("all_details", None)


def _linked(item: Detail, master: Dataset, here: str) -> None:
    """Raises Problem where a detail and its master are not linked by columns that both have."""
    for name, columns, dataset in (
        ("columns", item.columns, item.dataset),
        ("master_columns", item.master_columns, master),
    ):
        there = set(dataset.fields.values_list("name", flat=True))
        if lacking := [column for column in columns if column not in there]:
            raise Problem(f"{here}, {name}: {dataset.name} has no {lacking[0]}.", "Mend it in the file.", code="bad")
    if len(item.columns) != len(item.master_columns):
        raise Problem(
            f"{here}: it has {len(item.columns)} columns for {len(item.master_columns)} of its master.", "", code="bad"
        )


def _sheet(form: Form, said: Any, where: str) -> None:
    """The document of a form's sheet; none where the file has none, so that it is the one that Enlace makes by itself."""
    text = ""
    if said is not None:
        if not isinstance(said, dict):
            raise Problem(f"{where}, sheet should be names with values.", "See docs/form.schema.json.", code="bad")
        # The file names datasets and details already; a second list of them could contradict it.
        sources = [as_values(source) for source in layout.sources_of(form)[0]]
        try:
            text = document_of(json.loads(json.dumps({**said, "sources": sources}))).to_json()
        except Problem as problem:
            raise Problem(f"{where}, sheet: {problem}", "Mend it in the file.", code="bad") from None
    if text != form.document:
        form.document, form.layout = text, form.layout + 1
        form.save(update_fields=["document", "layout"])


def misfits(project: Project) -> list[str]:
    """What of the datasets does not fit the tables that they are connected with now, in words; of a database that can't be
    asked that alone, once."""
    told, unasked = [], set()
    for dataset in project.datasets.select_related("connection").prefetch_related("fields", "rules"):
        if dataset.connection_id in unasked:
            continue
        try:
            drift = sheet.drift(dataset)
        except Problem as problem:
            of_table = problem.code in ("missing", "table gone", "unreadable")
            if of_table:
                told.append(f"It does not fit: {dataset.name}: {problem}")
            else:
                told.append(f"Whether it fits {dataset.connection.name} is not known. {problem}")
                unasked.add(dataset.connection_id)
            continue
        told += [f"It does not fit: {dataset.name}: the table has no {item.name}." for item in drift.gone]
        told += [
            f"It does not fit: {dataset.name}: {was.name} was {was.type_text}, and is {now.type_text} there."
            for was, now in drift.changed
        ]
    return told
