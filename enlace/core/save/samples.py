"""Made-up rows for a table that is tried out: values by the kind of each field, checked and saved as typed ones are."""

from __future__ import annotations

import datetime
import random
from collections.abc import Callable
from dataclasses import replace
from typing import Any

from stdnum import ean, imo, luhn

from ..dataset.lookups import Option, listed
from ..draft import PendingRecord
from ..draft.pending import new_record, unreadable, with_text, with_value
from ..kinds import Formats
from ..kinds.knowledge import picture_of
from ..kinds.numbers import bounds
from ..model.connection import ConnectionSpec
from ..model.dataset import DatasetSpec, FieldSpec
from ..problem import Problem
from ..rules import RecordRules
from .outcome import SavePolicy
from .run import save

MOST = 1000
TRIES = 25  # for a value or a record that the rules let pass
EMPTY = 0.15  # how many of the values that may be left out are
FORMATS = Formats.of("en_GB")
SYLLABLES = [
    "ba",
    "ben",
    "cor",
    "da",
    "du",
    "fa",
    "gui",
    "lo",
    "ma",
    "mol",
    "na",
    "nor",
    "pe",
    "po",
    "ra",
    "ri",
    "sal",
    "sei",
    "ta",
    "tu",
    "ven",
    "vi",
    "xa",
    "zo",
]
FIRST_DAY = datetime.date(2025, 1, 1)


def add_samples(spec: ConnectionSpec, dataset: DatasetSpec, count: int, seed: int | None = None) -> int:
    """Save so many made-up records; how many the rules and the server took. seed: for the same ones. Raises Problem.

    Values of unique columns are tried anew when they repeat. What no value can be made for stays empty.
    """
    if not 1 <= count <= MOST:
        raise Problem("This is not a number of rows.", f"Type one from 1 to {MOST:,}.", code="bad")
    if not dataset.editable:
        raise Problem("No rows can be added here.", dataset.read_only_because, code="read-only")
    maker = _Maker(spec, dataset, random.Random(seed))
    records = [record for record in (maker.record() for _ in range(count)) if record is not None]
    # As a person would: through the same plan, rules and statements, one refused row losing nothing else.
    outcome = save(spec, dataset, records, policy=SavePolicy(whole=False))
    return len(outcome.ids)


class _Maker:
    def __init__(self, spec: ConnectionSpec, dataset: DatasetSpec, chance: random.Random) -> None:
        self.spec, self.dataset, self.chance = spec, dataset, chance
        self.rules = RecordRules(dataset)
        self.lists: dict[str, tuple[Option, ...]] = {}
        # What nobody fills is no value, unless the server has a default for it.
        self.blank = {f.name: None for f in dataset.fields if f.default is None and not f.generated}
        self.single = {columns[0] for columns in [dataset.key, *dataset.uniques] if len(columns) == 1}
        self.used: dict[str, set[Any]] = {name: set() for name in self.single}

    def record(self) -> PendingRecord | None:
        """A new record that breaks no rule which can be checked here; None when none was found."""
        for _ in range(TRIES):
            made = self._all_filled()
            if made is None:
                continue
            told = self.rules.complaints({**self.blank, **made.values()}, frozenset(made.now), True)
            if not any(complaint.holds_back for complaint in told):
                return made
        return None

    def _all_filled(self) -> PendingRecord | None:
        made = new_record()
        for field in self.dataset.fields:
            if not (field.generated or field.read_only) and field.name not in made.now:
                filled = self._filled(made, field)
                if filled is None:
                    return None
                made = filled
        return made

    def _filled(self, record: PendingRecord, field: FieldSpec) -> PendingRecord | None:
        """The record with a value in a field; None when it needs one and none is found."""
        needed = field.required or not field.nullable
        if not needed and (field.kind in ("picture", "binary") or self.chance.random() < EMPTY):
            return record
        if field.lookup and field.lookup.table:
            return self._chosen(record, field)
        for _ in range(TRIES):
            made = with_text(record, field, self._text(field), FORMATS)
            value = made.now.get(field.name)
            fits = not unreadable(made, self.dataset, FORMATS)
            told = self.rules.complaints(made.now, frozenset({field.name}), True)
            # Rules about several fields wait until all are filled; a missing value elsewhere is no fault of this one.
            fits = fits and not any(c.holds_back and c.fields == (field.name,) and c.code != "missing" for c in told)
            if fits and value not in self.used.get(field.name, ()):
                self.used.get(field.name, set()).add(value)
                return made
        return None if needed else record

    def _chosen(self, record: PendingRecord, field: FieldSpec) -> PendingRecord:
        """A line of the field's list, with what the reference's other fields store."""
        assert field.lookup is not None
        if field.lookup.narrowed:
            lines = listed(self.spec, self.dataset, field, record=record.values()).options
        else:
            # The same for every record, so read once; a narrowed list depends on the record.
            lines = self.lists.get(field.name) or listed(self.spec, self.dataset, field).options
            self.lists[field.name] = lines
        if not lines:
            return record
        line = self.chance.choice(lines)
        made = with_value(record, field, line.value)
        for name, value in line.also:
            made = with_value(made, self.dataset.by_name[name], value)
        return made

    # -- texts by kind --------------------------------------------------------------------------------

    def _text(self, field: FieldSpec) -> str:
        if field.lookup:
            return self.chance.choice(field.lookup.choices)[0] if field.lookup.choices else ""
        makers: dict[str, Callable[[FieldSpec], str]] = {
            "text": self._name,
            "longtext": lambda _: " ".join(self._word() for _ in range(self.chance.randint(6, 18))).capitalize() + ".",
            "whole": self._whole,
            "decimal": self._decimal,
            "yesno": lambda _: self.chance.choice(("yes", "no")),
            "date": lambda _: self._day().isoformat(),
            "time": lambda _: self._clock(),
            "datetime": lambda _: f"{self._day().isoformat()} {self._clock()}",
        }
        maker = makers.get(field.kind)
        return maker(replace(field, format="")) if maker else ""

    def _word(self) -> str:
        return "".join(self.chance.choice(SYLLABLES) for _ in range(self.chance.randint(2, 3)))

    def _name(self, field: FieldSpec) -> str:
        if field.text_check:
            return self._known(field.text_check)
        if field.picture:
            signs = {"9": "0123456789", "A": "ABCDEFGHJKLMNPRSTUVXZ", "X": "ABCDEFGHJKLMNPRSTUVXZ0123456789"}
            return "".join(c if fixed else self.chance.choice(signs[c]) for c, fixed in picture_of(field.picture))
        text = f"{self._word().capitalize()} {self._word().capitalize()}"
        if field.length is not None and field.length < len(text):
            # No room for two words: a code, without letters that are taken for digits.
            return "".join(self.chance.choice("ABCDEFGHJKLMNPRSTUVXZ") for _ in range(field.length))
        return text

    def _known(self, text_check: str) -> str:
        digits = "".join(self.chance.choice("0123456789") for _ in range(12))
        made = {
            "email": f"{self._word()}@{self._word()}.example",
            "web": f"https://{self._word()}.example/",
            "telephone": f"+351 200 {digits[:3]} {digits[3:6]}",
            "imo": digits[:6] + imo.calc_check_digit(digits[:6]),
            "ean": digits + ean.calc_check_digit(digits),
            "luhn": digits + luhn.calc_check_digit(digits),
        }
        return made.get(text_check, "")

    def _whole(self, field: FieldSpec) -> str:
        least, most = bounds(field.storage)
        return str(self.chance.randint(max(1, least), min(1000 if field.name not in self.single else 10**6, most)))

    def _decimal(self, field: FieldSpec) -> str:
        scale = 2 if field.scale is None else field.scale
        digits = min(4, field.precision - scale) if field.precision is not None else 4
        return f"{self.chance.randint(1, 10 ** max(1, digits + scale) - 1) / 10**scale:.{scale}f}"

    def _day(self) -> datetime.date:
        return FIRST_DAY + datetime.timedelta(self.chance.randrange(700))

    def _clock(self) -> str:
        return f"{self.chance.randrange(24):02}:{self.chance.randrange(0, 60, 5):02}"
