"""Mixed requests of a person at work on a form, seeded: for tests and benchmarks that look for what grows with use."""

from __future__ import annotations

import random
from collections.abc import Iterator, Sequence
from dataclasses import dataclass


@dataclass(frozen=True)
class Asked:
    """One request. data: what a POST sends, None for a GET."""

    path: str
    query: dict[str, str]
    data: dict[str, str] | None = None


@dataclass(frozen=True)
class FormAt:
    """A form to work on. text: a field that takes any text. orders, filters: what a person asks for; lists: fields with
    one."""

    at: str
    rows: int
    text: str
    orders: Sequence[str]
    filters: Sequence[tuple[str, str]]
    lists: Sequence[str] = ()


def mixed(dice: random.Random, form: FormAt, times: int) -> Iterator[Asked]:
    """What a person does in a day, shuffled: looks around, filters, types, looks up, takes back, saves now and then."""
    for n in range(times):
        record = f"i{dice.randrange(1, form.rows + 1)}"
        order = {"order": dice.choice(form.orders)} if dice.random() < 0.5 else {}
        only = dict([dice.choice(form.filters)]) if dice.random() < 0.3 else {}
        view = {**order, **only}
        act = dice.choice(
            ("rows", "rows", "rows", "record", "record", "at", "edit", "edit", "pulse", "count", "choices")
        )
        if n % 60 == 59:
            yield Asked(
                f"{form.at}{dice.choice(('save', 'discard', 'undo'))}", {}, {"token": f"{dice.getrandbits(64):x}"}
            )
        elif act == "rows":
            yield Asked(f"{form.at}rows", {**view, "start": str(dice.randrange(form.rows)), "size": "60"})
        elif act == "record":
            yield Asked(f"{form.at}record", {**order, "record": record})
        elif act == "at":
            yield Asked(f"{form.at}at", {**order, "position": str(dice.randrange(form.rows))})
        elif act == "edit":
            typed = f"typed {dice.randrange(10**6)}"
            yield Asked(f"{form.at}edit", {}, {"record": record, "field": form.text, "value": typed})
        elif act == "pulse":
            yield Asked(f"{form.at}pulse", {"revision": str(n), "record": record, "position": "0"})
        elif act == "count":
            yield Asked(f"{form.at}count", {**only, "position": "0"})
        elif form.lists:
            search = {"field": dice.choice(form.lists), "record": record, "typed": dice.choice("abcdefgh")}
            yield Asked(f"{form.at}choices", search)
