"""The SQL that files bring, held to what a builder may call, as it is where it is typed: files are written by anybody."""

from __future__ import annotations

from collections.abc import Callable, Iterable

from django.db.models import prefetch_related_objects
from sqlglot.errors import SqlglotError

from enlace.core.dataset.called_rows import called_in
from enlace.core.dataset.parameters import WRITES
from enlace.core.dataset.stored import lookup_of
from enlace.core.model.connection import ConnectionSpec
from enlace.core.problem import Problem
from enlace.core.save.action_statements import check_action
from enlace.core.server.functions import check_calls, refuse_dangerous
from enlace.workshop.models import Connection, Dataset, Form

UNREACHED = ("away", "locked", "slow", "ask")  # the server can't say what its functions do


def vouch(datasets: Iterable[Dataset], forms: Iterable[Form]) -> None:
    """Raises Problem, with the place, for a query, a list or an action that calls what it must not."""
    # As they are by now: what is kept of a dataset may be of before.
    prefetch_related_objects(datasets := list(datasets), "connection", "fields")
    prefetch_related_objects(forms := list(forms), "dataset__connection", "actions")
    for dataset in datasets:
        kind = dataset.connection.kind
        lists = [lookup.query for field in dataset.fields.all() if (lookup := lookup_of(field.lookup)) is not None]
        for sql in filter(None, (dataset.query, *lists)):
            _held(
                dataset.connection,
                f"The dataset {dataset.name}",
                sql,
                lambda spec, s=sql, k=kind: check_calls(s, k, WRITES[k], spec, procedures=bool(called_in(s, k))),  # type: ignore[misc]
            )
    for form in forms:
        for action in form.actions.all():
            _held(
                form.dataset.connection,
                f"The action {action.title} of {form.title}",
                action.statements,
                lambda spec, s=action.statements: check_action(spec, s),  # type: ignore[misc]
            )


def _held(connection: Connection, where: str, sql: str, check: Callable[[ConnectionSpec], None]) -> None:
    try:
        try:
            check(connection.to_spec())
        except Problem as problem:
            if problem.code not in UNREACHED:
                raise
            refuse_dangerous(sql, WRITES[connection.kind])
    except SqlglotError:
        return  # what nobody can read runs nowhere, and is told there
    except Problem as problem:
        raise Problem(f"{where}: {problem.what}", problem.hint, problem.words, "bad") from None
