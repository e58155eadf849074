"""Kept copies at the desk: where one is, of when it is, and what it holds."""

from __future__ import annotations

import datetime
from pathlib import Path
from typing import Any

from django.conf import settings

from enlace.accounts.models import Person
from enlace.core.dataset.offline import take_copy
from enlace.core.model.connection import ConnectionSpec
from enlace.core.problem import Problem
from enlace.core.server import forget_engine
from enlace.workshop.models import Form

FOLDER = settings.HOME / "kept"


class KeptCopy:
    """One person's copy of the rows of one form, the rows of its details with them."""

    def __init__(self, form: Form, person: Person) -> None:
        self.form, self.person = form, person

    @property
    def path(self) -> Path:
        return FOLDER / f"{self.form.pk}-{self.person.pk}.sqlite3"

    @property
    def made(self) -> datetime.datetime | None:
        """When the rows were read; None when there is no copy."""
        try:
            return datetime.datetime.fromtimestamp(self.path.stat().st_mtime, datetime.UTC)
        except OSError:
            return None

    @property
    def spec(self) -> ConnectionSpec:
        """How to read the copy. Raises Problem when there is none."""
        if self.made is None:
            raise Problem("There is no kept copy of this form.", "Keep one while the server is there.", code="missing")
        return ConnectionSpec.of("kept", path=str(self.path))

    def make(self, live: ConnectionSpec, datasets: Any) -> int:
        """Read the rows anew; how many they are. Raises Problem; an older copy stays then."""
        if not self.form.may_keep:
            raise Problem(
                "No copy may be kept of this form.", "A builder can allow it on the form's page.", code="forbidden"
            )
        FOLDER.mkdir(mode=0o700, exist_ok=True)
        tables = take_copy(live, datasets, self.path)
        forget_engine(self.spec)
        return sum(table.rows for table in tables)

    def throw_away(self) -> None:
        """Remove the copy."""
        if self.made is not None:
            forget_engine(self.spec)
        self.path.unlink(missing_ok=True)
