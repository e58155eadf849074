"""Dates, times of day, and dates with a time."""

from __future__ import annotations

import datetime
import re
from collections.abc import Callable
from functools import lru_cache
from typing import Any

from ..model.dataset import FieldSpec
from .base import Kind, Nonconforming, Unreadable, raw_text
from .formats import Formats
from .patterns import BadPattern, empty_by, pattern_of, read_by, shown_by

UNIX_EPOCH = datetime.datetime(1970, 1, 1)
JULIAN_UNIX_EPOCH = 2440587.5  # the Julian day of 1970-01-01T00:00, a fact of astronomy's day count
AS_NUMBERS = ("julian day", "unix seconds", "unix milliseconds")  # storages of dates that are numbers
ISO_DATE = re.compile(r"(\d{4})-(\d{1,2})-(\d{1,2})", re.ASCII)
LONGEST_DATE = 10  # characters of one that is kept as a text
OTHER_DATE = re.compile(r"(\d{1,2})[./ -](\d{1,2})[./ -](\d{4})", re.ASCII)
NAMED_DATES = (
    re.compile(r"(?P<day>\d{1,2})\.?\s+(?:de\s+)?(?P<month>[^\W\d]+)\.?,?\s+(?:de\s+)?(?P<year>\d{4})"),
    re.compile(r"(?P<month>[^\W\d]+)\.?\s+(?P<day>\d{1,2}),?\s+(?P<year>\d{4})"),
)
FULL_TIME = re.compile(r"\d\d:\d\d:\d\d", re.ASCII)
TIME = re.compile(r"(\d{1,2})[:.h](\d{2})(?:[:.](\d{2})(?:[.,](\d{1,6}))?)?\s*([ap]m)?", re.ASCII | re.IGNORECASE)


def date_from(text: str, formats: Formats) -> datetime.date:
    """A date from ISO 8601 or from the locale's order of day and month. Raises Unreadable."""
    text = text.strip()
    if match := ISO_DATE.fullmatch(text):
        year, month, day = (int(part) for part in match.groups())
    elif match := OTHER_DATE.fullmatch(text):
        first, second, year = (int(part) for part in match.groups())
        # The same digits are another day to somebody else; what is shown back has the name of the month or stands in
        # their order.
        day, month = (first, second) if formats.day_first else (second, first)
    elif shown := _as_shown(text, formats):
        return shown
    elif match := next(filter(None, (pattern.fullmatch(text) for pattern in NAMED_DATES)), None):
        day, year = int(match["day"]), int(match["year"])
        month = _month(match["month"], formats)
    else:
        raise Unreadable("This is not a date. Type it as year-month-day, such as 2026-03-31.")
    return _real_date(year, month, day)


def _as_shown(text: str, formats: Formats) -> datetime.date | None:
    """A date as the locale shows it, whatever stands between and behind its parts."""
    try:
        read = pattern_of(formats.date_pattern, formats.locale, "date").read(text)
    except BadPattern:
        return None
    return datetime.date.fromisoformat(read) if read else None


@lru_cache(maxsize=5_000)
def _iso_date(text: str) -> datetime.date | None:
    """A date that is kept as a text, read once: rows have the same few thousand days. None for one that is no date."""
    try:
        return datetime.date.fromisoformat(text)
    except ValueError:
        return None


def _month(name: str, formats: Formats) -> int:
    wanted = name.casefold()
    known = [month.casefold().strip(".") for month in formats.months]
    if wanted in known:
        return known.index(wanted) + 1
    # A longer or shorter form is taken when only one month can be meant ("jui" is June or July in French).
    near = [
        n
        for n, month in enumerate(known, 1)
        if wanted.startswith(month) or (len(wanted) > 2 and month.startswith(wanted))
    ]
    if len(near) == 1:
        return near[0]
    raise Unreadable(f"“{name}” is not a month. Type the date as year-month-day, such as 2026-03-31.")


def _real_date(year: int, month: int, day: int) -> datetime.date:
    if not 1 <= month <= 12:
        raise Unreadable(f"There is no month {month}. Type the date as year-month-day, such as 2026-03-31.")
    if not 1 <= year <= 9999:
        raise Unreadable("Years go from 1 to 9999.")
    # The day before the first of the next month; after December 9999 there is none.
    last = (datetime.date(year + month // 12, month % 12 + 1, 1) - datetime.timedelta(1)).day if year < 9999 else 31
    if not 1 <= day <= last:
        name = datetime.date(2000, month, 1).strftime("%B")
        raise Unreadable(f"{name} {year} has no day {day}; its last day is {last}.")
    return datetime.date(year, month, day)


def time_from(text: str) -> datetime.time:
    """A time of day such as 14:05, 14:05:30 or 2:05 pm. Raises Unreadable."""
    match = TIME.fullmatch(" ".join(text.split()))  # some locales put a blank of another kind before am and pm
    if not match:
        raise Unreadable("This is not a time. Type hours and minutes, such as 14:05.")
    hour, minute, second = int(match.group(1)), int(match.group(2)), int(match.group(3) or 0)
    half = (match.group(5) or "").lower()
    if half:
        if not 1 <= hour <= 12:
            raise Unreadable(f"There is no hour {hour} {half}.")
        # 12 am is midnight and 12 pm noon.
        hour = hour % 12 + (12 if half == "pm" else 0)
    if hour > 23 or minute > 59 or second > 59:
        raise Unreadable("There is no such time: hours go to 23, minutes and seconds to 59.")
    return datetime.time(hour, minute, second, int((match.group(4) or "").ljust(6, "0") or 0))


def _stamp_from_number(raw: float, storage: str) -> datetime.datetime | None:
    try:
        if storage == "julian day":
            # A Julian day as a float is good to about a millisecond.
            microseconds = round((raw - JULIAN_UNIX_EPOCH) * 86_400_000) * 1000
            return UNIX_EPOCH + datetime.timedelta(microseconds=microseconds)
        if storage == "unix milliseconds":
            return UNIX_EPOCH + datetime.timedelta(milliseconds=raw)
        if storage == "unix seconds":
            return UNIX_EPOCH + datetime.timedelta(seconds=raw)
    except (OverflowError, ValueError):
        pass
    return None


def _number_from_stamp(stamp: datetime.datetime, storage: str) -> float | int:
    since = stamp - UNIX_EPOCH
    if storage == "julian day":
        return since / datetime.timedelta(days=1) + JULIAN_UNIX_EPOCH
    unit = datetime.timedelta(milliseconds=1) if storage == "unix milliseconds" else datetime.timedelta(seconds=1)
    number = since / unit
    # Whole seconds stay whole numbers, as they were in the column before.
    return int(number) if number == int(number) else number


class Date(Kind):
    name = "date"
    label = "Date"
    inputmode = "text"
    example = "2026-03-31"

    def read(self, raw: Any, field: FieldSpec) -> Any:
        if raw is None or type(raw) is datetime.date:
            return raw
        if isinstance(raw, str) and len(raw) <= LONGEST_DATE and ISO_DATE.fullmatch(raw):
            return _iso_date(raw) or Nonconforming(raw)
        if isinstance(raw, int | float) and not isinstance(raw, bool) and field.storage not in ("", "native"):
            stamp = _stamp_from_number(raw, field.storage)
            # A number with a time of day in a date column is not a date.
            if stamp is not None and stamp.time() == datetime.time():
                return stamp.date()
        return Nonconforming(raw)

    def parse(self, text: str, field: FieldSpec, formats: Formats) -> Any:
        text, formats = read_by(field.format, formats, self.name, text)
        if not text.strip():
            return None
        value = date_from(text, formats)
        if field.storage in AS_NUMBERS:
            return _number_from_stamp(datetime.datetime(value.year, value.month, value.day), field.storage)
        return value if field.storage == "native" else value.isoformat()

    def formatter(self, field: FieldSpec, formats: Formats) -> Callable[[Any], str]:
        read, write = self.read, shown_by(field.format, formats.locale, self.name) or formats.date()
        empty = empty_by(field.format)

        def show(raw: Any) -> str:
            if raw is None:
                return empty
            value = read(raw, field)
            return raw_text(raw) if isinstance(value, Nonconforming) else write(value)

        return show


class Time(Kind):
    name = "time"
    label = "Time"
    example = "14:05"

    def read(self, raw: Any, field: FieldSpec) -> Any:
        if raw is None or isinstance(raw, datetime.time):
            return raw
        if isinstance(raw, str):
            try:
                return time_from(raw) if ":" in raw else Nonconforming(raw)
            except Unreadable:
                return Nonconforming(raw)
        if field.storage == "seconds" and isinstance(raw, int) and 0 <= raw < 86_400:
            return (UNIX_EPOCH + datetime.timedelta(seconds=raw)).time()
        return Nonconforming(raw)

    def parse(self, text: str, field: FieldSpec, formats: Formats) -> Any:
        text, formats = read_by(field.format, formats, self.name, text)
        if not text.strip():
            return None
        value = time_from(text)
        if field.storage == "seconds":
            return value.hour * 3600 + value.minute * 60 + value.second
        if field.storage == "native":
            return value
        if precision := _precision(value, field.storage.split()):
            return value.isoformat(precision)
        # Who says seconds means them: beside times of which all have some, "12:30" would be less than "12:30:00".
        return value.isoformat() if FULL_TIME.fullmatch(text.strip()) else _clock(value)

    def text(self, raw: Any, field: FieldSpec) -> str:
        value = self.read(raw, field)
        if value is None or isinstance(value, Nonconforming):
            return "" if value is None else raw_text(value.raw)
        return _clock(value)

    def formatter(self, field: FieldSpec, formats: Formats) -> Callable[[Any], str]:
        write, empty = shown_by(field.format, formats.locale, self.name) or formats.time, empty_by(field.format)

        def show(raw: Any) -> str:
            value = self.read(raw, field)
            return write(value) if isinstance(value, datetime.time) else empty if raw is None else raw_text(raw)

        return show


def _precision(value: datetime.time | datetime.datetime, form: list[str]) -> str:
    """How far a time is written out, as those beside it in its column are; "" where the column says nothing of it, or where
    the time has more than that."""
    lost = {"seconds": value.microsecond, "milliseconds": value.microsecond % 1000, "microseconds": 0}
    return next((word for word in form if not lost.get(word, 1)), "")


def _clock(value: datetime.time | datetime.datetime) -> str:
    """Hours and minutes, seconds only where there are some."""
    if value.microsecond:
        return value.strftime("%H:%M:%S") + f".{value.microsecond:06}".rstrip("0")
    return value.strftime("%H:%M:%S" if value.second else "%H:%M")


class DateTime(Kind):
    name = "datetime"
    label = "Date with time"
    example = "2026-03-31 14:05"

    def read(self, raw: Any, field: FieldSpec) -> Any:
        if raw is None or isinstance(raw, datetime.datetime):
            return raw
        if isinstance(raw, str):
            # fromisoformat takes 20260331 as well, and such a number in a text is rather a number.
            if len(raw) < 10 or raw[4:5] != "-":
                return Nonconforming(raw)
            try:
                return datetime.datetime.fromisoformat(raw)
            except ValueError:
                return Nonconforming(raw)
        if isinstance(raw, int | float) and not isinstance(raw, bool):
            stamp = _stamp_from_number(raw, field.storage)
            return Nonconforming(raw) if stamp is None else stamp
        return Nonconforming(raw)

    def parse(self, text: str, field: FieldSpec, formats: Formats) -> Any:
        text, formats = read_by(field.format, formats, self.name, text)
        text = text.strip()
        if not text:
            return None
        # A stored offset from UTC is typed and kept as ISO 8601 writes it: 2026-03-31 14:05:00+01:00.
        zone = re.search(r"(?<=\d)\s*(Z|[+-]\d{2}:?\d{2})$", text)
        body = text[: zone.start()] if zone else text
        # As it is shown, a comma may stand between the day and the time.
        clock = re.search(r"(?:T|,?\s+)(\d{1,2}[:.h]\d{2}\S*(?:\s*[ap]m)?)$", body, re.IGNORECASE)
        day = date_from(body[: clock.start()] if clock else body, formats)
        if not clock:
            raise Unreadable(f"The time is missing. Type it after the date, such as {day.isoformat()} 14:05.")
        value = datetime.datetime.combine(day, time_from(clock.group(1)))
        if zone:
            value = datetime.datetime.fromisoformat(value.isoformat() + zone.group(1))
        return self._stored(value, field)

    def _stored(self, value: datetime.datetime, field: FieldSpec) -> Any:
        if field.storage == "native":
            if value.tzinfo:
                raise Unreadable("This column keeps no offset from UTC. Type the date and time without one.")
            return value
        if field.storage == "native utc":
            # Without an offset the time is meant as it is shown: in UTC.
            return value.astimezone(datetime.UTC) if value.tzinfo else value.replace(tzinfo=datetime.UTC)
        if field.storage in AS_NUMBERS:
            return _number_from_stamp(
                value.replace(tzinfo=None) - (value.utcoffset() or datetime.timedelta()), field.storage
            )
        form = field.storage.split()
        return value.isoformat("T" if "T" in form else " ", _precision(value, form) or "auto")

    def text(self, raw: Any, field: FieldSpec) -> str:
        value = self.read(raw, field)
        if value is None or isinstance(value, Nonconforming):
            return "" if value is None else raw_text(value.raw)
        zone = value.strftime("%z")
        return f"{value.date().isoformat()} {_clock(value)}" + (f"{zone[:3]}:{zone[3:5]}" if zone else "")

    def formatter(self, field: FieldSpec, formats: Formats) -> Callable[[Any], str]:
        read, day = self.read, formats.date()
        by_format, empty = shown_by(field.format, formats.locale, self.name), empty_by(field.format)

        def show(raw: Any) -> str:
            if raw is None:
                return empty
            value = read(raw, field)
            if isinstance(value, Nonconforming):
                return raw_text(raw)
            # A pattern of days and hours alone would hide which zone they are of.
            if by_format and not value.tzinfo:
                return by_format(value)
            zone = f" {value.strftime('%z')}" if value.tzinfo else ""
            return f"{day(value)}, {formats.time(value)}{zone}"

        return show
