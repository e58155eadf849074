"""How to reach a database."""

from __future__ import annotations

from dataclasses import dataclass, field


@dataclass(frozen=True)
class ConnectionSpec:
    """How to reach one database: the server kind's name and its parameters as (name, value) pairs.

    secret: the password; it never shows in a representation of the spec. receipts: a table of the database in
    which each save leaves a row of its own, so that its outcome is always known; "" when there is none.
    """

    kind: str
    parameters: tuple[tuple[str, str], ...]
    secret: str = field(default="", repr=False)
    receipts: str = ""

    @classmethod
    def of(cls, kind: str, secret: str = "", receipts: str = "", **parameters: str) -> ConnectionSpec:
        return cls(kind, tuple(sorted(parameters.items())), secret, receipts)

    def __getitem__(self, name: str) -> str:
        return dict(self.parameters).get(name, "")


def read_apart(spec: ConnectionSpec) -> ConnectionSpec:
    """The same database for a builder's query: an SQLite file is read in a process of its own then."""
    if spec.kind != "sqlite" or spec["apart"]:
        return spec
    return ConnectionSpec(spec.kind, (*spec.parameters, ("apart", "yes")), spec.secret)
