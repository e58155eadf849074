"""A dataset made ready: what is derived from it is kept with it, made once, and gone when it goes.

Nothing here is keyed by what a request brings. A dataset lives as long as its definition's revision is in use, so what
is kept is bounded by the definitions; and since a thing and what was made of it (a source, and the columns of its
statements) live equally long, none is ever met without the other. Values of a request, such as a query's parameters,
go with a dataset as `with_parameters`, which shares all that was derived, and reach a statement as bound values.
"""

from __future__ import annotations

import threading
from collections.abc import Callable, Hashable
from functools import wraps
from typing import Any, Concatenate, ParamSpec, Protocol, TypeVar

MOST = 64  # of one function for one dataset, by what else it depends on


class Deriving(Protocol):
    """What keeps what is derived from it."""

    @property
    def derived(self) -> dict[str, dict[Hashable, Any]]: ...


D = TypeVar("D", bound=Deriving)
P = ParamSpec("P")
R = TypeVar("R")
_lock = threading.Lock()


def derived(make: Callable[Concatenate[D, P], R]) -> Callable[Concatenate[D, P], R]:
    """Keep what a function makes of a dataset, or of a lookup, with that: once for what else it is given, hashable.

    Of two threads that make the same at once, both go on with what the first one made.
    """
    name = f"{make.__module__}.{make.__qualname__}"

    @wraps(make)
    def kept(owner: D, *rest: P.args, **named: P.kwargs) -> R:
        assert not named, "derived functions take their arguments by position"
        several = owner.derived.setdefault(name, {})
        derived_values = several.get(rest, several)
        if derived_values is several:
            made = make(owner, *rest, **named)
            with _lock:
                while len(several) >= MOST:
                    del several[next(iter(several))]
                derived_values = several.setdefault(rest, made)
        return derived_values

    return kept
