"""How sensible the forms are that Enlace makes by itself: faults counted by stated rules over a whole schema.

lists: lists of choices whose first 50 lines are not told apart by what they show.
labels: labels that are code: an underscore, a capital inside a word, an ending such as "ID" on a list that shows no id, an
    acronym in small letters, two words of the same schema run together, a list that is called as the column of another.
seen: fields that nobody should see: passwords, tokens and digests, the version of a row, what a server keeps for its search,
    and what links a detail to its master.
cut: columns too narrow for a number among the first rows.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterator
from pathlib import Path

from sqlalchemy import select

from enlace.core.dataset.inference.make import make_dataset
from enlace.core.dataset.window import Rows
from enlace.core.model.connection import ConnectionSpec
from enlace.core.model.dataset import DatasetSpec, FieldSpec
from enlace.core.problem import Problem
from enlace.core.server import Catalog, reading
from enlace.core.server.names import quoted_table

LINES = 50
SMALL_ACRONYMS = re.compile(
    r"\b(id|url|uuid|guid|isbn|isrc|iswc|ipi|isni|html|xml|json|sql|ip|upc|sku|vat|iso|gid|mbid)s?\b"
)
SECRET = re.compile(r"(^|_)(password|passwd|pwd|secret|token|digest|checksum|hash|salt)(_|$)", re.I)
VERSION = re.compile(r"(row_?|lock_?)?version|version_?(no|number)|opt_?lock", re.I)
ONE_WORD = {
    "username",
    "codename",
    "password",
    "filename",
    "website",
    "database",
    "timestamp",
}  # in dictionaries as one
DIGIT_PIXELS = 8


def faults(spec: ConnectionSpec) -> Iterator[tuple[str, str]]:
    """(rule, what) of each fault of all tables of a connection."""
    catalog = Catalog.of(spec)
    vocabulary = words_of(catalog)
    for name in catalog.tables:
        try:
            dataset = make_dataset(spec, name)
        except Problem:
            continue
        for field in dataset.shown:
            if why := label_is_code(field, dataset, vocabulary):
                yield "labels", f"{name}.{field.name}: “{field.label}” {why}"
            version = field.kind == "whole" and VERSION.fullmatch(field.name) and not field.nullable
            if not field.lookup and (version or (SECRET.search(field.name) and not field.required)):
                yield "seen", f"{name}.{field.name}"
        yield from told_apart(spec, dataset)
        yield from cut_off(spec, dataset)


def words_of(catalog: Catalog) -> set[str]:
    """The words that names of the schema have between separators."""
    names = [*catalog.tables, *(c.name for t in catalog.tables for c in catalog.table(t).columns)]
    parts = (part.lower() for name in names if "_" in name for part in name.split("_"))
    return {part for part in parts if len(part) > 3 and part.isalpha()}


def label_is_code(field: FieldSpec, dataset: DatasetSpec, vocabulary: set[str]) -> str:
    label = field.label
    if "_" in label or re.search(r"[a-z][A-Z]", label):
        return "is a name of code"
    if SMALL_ACRONYMS.search(label):
        return "has an acronym in small letters"
    ending = re.search(r" (ID|code|ptr|pointer|GUID|UUID|key|ref|no\.)$", label, re.I)
    if (
        field.lookup
        and field.lookup.table
        and ending
        and not any(re.search(ending[1], s, re.I) for s in field.lookup.shows)
    ):
        return "is called as its column, not as what it shows"
    for word in re.findall(r"[a-z]{8,}", label.lower()):
        if word not in vocabulary | ONE_WORD and any(
            word[:i] in vocabulary and word[i:] in vocabulary for i in range(4, len(word) - 3)
        ):
            return f"has words run together: {word}"
    return ""


def told_apart(spec: ConnectionSpec, dataset: DatasetSpec) -> Iterator[tuple[str, str]]:
    for field in dataset.fields:
        lookup = field.lookup
        if lookup is None or not lookup.table or field.hidden:
            continue
        names = list(dict.fromkeys([*lookup.shows, lookup.target, *(c for _, c in lookup.also)]))
        source = quoted_table(lookup.table, names)
        with reading(spec) as connection:
            rows = connection.execute(select(*(source.c[n] for n in names)).distinct().limit(LINES)).all()
        shown = Counter(tuple(row[: len(lookup.shows)]) for row in rows)
        if any(count > 1 for count in shown.values()):
            worst, count = shown.most_common(1)[0]
            yield (
                "lists",
                f"{dataset.table}.{field.name} → {lookup.table} shows {lookup.shows}: {worst} {count} times in {len(rows)}",
            )


def cut_off(spec: ConnectionSpec, dataset: DatasetSpec) -> Iterator[tuple[str, str]]:
    rows = Rows.of(spec, dataset).window(0, LINES)
    for place, field in enumerate(dataset.fields):
        if field.hidden or field.lookup or field.kind not in ("whole", "decimal"):
            continue
        longest = max((len(str(row.values[place])) for row in rows if row.values[place] is not None), default=0)
        if longest * DIGIT_PIXELS + 16 > field.width:
            yield "cut", f"{dataset.table}.{field.name}: {longest} characters in {field.width} pixels"


def score(path: Path) -> tuple[Counter[str], list[tuple[str, str]]]:
    spec = ConnectionSpec.of("sqlite", path=str(path))
    told = list(faults(spec))
    return Counter(rule for rule, _ in told), told


if __name__ == "__main__":
    import sys

    for one in sys.argv[1:]:
        counts, found = score(Path(one))
        print(Path(one).stem, dict(counts))
        for rule, what in found:
            print("   ", rule, what)
