"""Details without a link, or with one that is slow; editors on what can't be saved; charts of nothing."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from functools import partial

from ..form.edit import remove_source
from ..model.dataset import DatasetSpec
from .base import Fault, Wired
from .retyped import unlike


def links(wired: Wired) -> Iterator[Fault]:
    for source in wired.document.sources[1:]:
        dataset, above = wired.datasets.get(source.name), wired.datasets.get(source.parent)
        # A query’s details are linked by its parameters, which are filled by name.
        if dataset is None or above is None or dataset.query:
            continue
        title = source.title or source.name
        repair = partial(remove_source, name=source.name)
        lacking = [c for c in source.columns if c not in dataset.by_name] + [
            c for c in source.parent_columns if c not in above.by_name
        ]
        if not source.columns:
            yield Fault(
                "links",
                f"{title} is not linked to {source.parent}: it would show all rows.",
                "error",
                "",
                source.name,
                repair,
                "Remove it",
            )
        elif lacking:
            yield Fault(
                "links",
                f"The link of {title} names {', '.join(lacking)}, which is not there.",
                "error",
                "",
                source.name,
                repair,
                "Remove it",
            )
        elif several := unlike_pairs(dataset, above, source.columns, source.parent_columns):
            severity = "warning" if wired.converts else "error"
            sentence = f"The link of {title} compares {', '.join(several)}: link columns that hold the same."
            yield Fault("links", sentence, severity, "", source.name, repair, "Remove it")
        elif source.name in wired.unserved:
            sentence = f"No index serves the link of {title}: each move reads the whole table. Ask who runs the database for an index on {', '.join(source.columns)}."
            yield Fault("links", sentence, "warning", "", source.name)
        # Each source is a query on each move, whether anybody looks at it or not.
        if not wired.document.tied(source.name) and not _opens_in_rows(wired, source.parent):
            yield Fault(
                "links",
                f"{title} is a source of the form, and no control shows it.",
                "warning",
                "",
                source.name,
                repair,
                "Remove it",
            )


def unlike_pairs(
    dataset: DatasetSpec, above: DatasetSpec, columns: Sequence[str], parent_columns: Sequence[str]
) -> list[str]:
    """The pairs of a link whose columns hold unlike things, in words such as "quay (a text) with id (a number)"."""
    told = []
    for own, other in zip(columns, parent_columns, strict=False):
        if held := unlike(dataset.by_name[own].type_text, above.by_name[other].type_text):
            told.append(f"{own} ({held[0]}) with {other} ({held[1]})")
    return told


def _opens_in_rows(wired: Wired, name: str) -> bool:
    """Whether the rows of a source open and show what belongs to them, or those of one above it do."""
    while name:
        if any(control.kind == "branches" for control in wired.document.tied(name)):
            return True
        name = wired.document.source(name).parent
    return False


def editable(wired: Wired) -> Iterator[Fault]:
    for control in wired.document.all():
        dataset = wired.datasets.get(control.source)
        if (
            control.kind == "editor"
            and dataset is not None
            and not dataset.editable
            and not control.settings.get("read_only")
        ):
            yield Fault(
                "editable",
                f"{wired.named(control)} can't save: {dataset.read_only_because}",
                "warning",
                control.id,
                control.source,
            )


def lookups(wired: Wired) -> Iterator[Fault]:
    for source, dataset in wired.datasets.items():
        if dataset is None or not wired.document.tied(source):
            continue
        for field in dataset.shown:
            lookup = field.lookup
            target = lookup.by_name.get(lookup.target) if lookup else None
            if (
                lookup
                and lookup.shows == (lookup.target,)
                and not lookup.also  # within the others of the key a number is what people say
                and len(lookup.columns) > 1
                and target
                # A text as key, such as a code or a name, tells people something by itself.
                and target.kind != "text"
            ):
                sentence = f"The list of {field.label} shows keys only. Choose on the field sheet what it shows."
                yield Fault("lookups", sentence, "warning", "", source)


def charts(wired: Wired) -> Iterator[Fault]:
    for control in wired.document.all():
        if control.kind != "chart" or wired.datasets.get(control.source) is None:
            continue
        by, of = control.settings.get("by", ""), control.settings.get("of", "")
        if not by or wired.field(control.source, str(by)) is None:
            yield Fault("charts", "The chart has no field to group by.", "error", control.id, control.source)
        field = wired.field(control.source, str(of)) if of else None
        if control.settings.get("function", "count") != "count" and (
            field is None or field.kind not in ("whole", "decimal")
        ):
            yield Fault(
                "charts",
                f"{wired.named(control)} needs a field of numbers.",
                "error",
                control.id,
                control.source,
            )
