"""Events that a developer's own code can follow; `core.extensions` says how such code gets here.

The contract: a handler of BEFORE_SAVE may raise `Problem`, and nothing of the save is written then; the person
reads its sentences. Any other error of a handler refuses the save as well, with the extension's name. Handlers of the
other events tell nobody anything: what they raise goes to the log `enlace.extensions`, and the act that they follow is
done all the same. Handlers run in the request; one that takes longer than SLOW seconds is noted in that log.
"""

from __future__ import annotations

import logging
import time
from collections import defaultdict
from collections.abc import Callable
from typing import Any

from .problem import Problem

log = logging.getLogger("enlace.extensions")
SLOW = 1.0  # seconds
READ, EDITED, BEFORE_SAVE, AFTER_SAVE, REFUSED = "read", "edited", "before save", "after save", "refused"
EVENTS = (READ, EDITED, BEFORE_SAVE, AFTER_SAVE, REFUSED)
Handler = Callable[..., None]

_handlers: dict[str, list[tuple[str, Handler]]] = defaultdict(list)


def on(event: str, handler: Handler, name: str = "") -> None:
    """Follow an event. name: of the extension, for sentences and the log. Its facts come as keywords:

    READ: dataset, rows. EDITED: dataset, id, record (what is pending of it then, None where nothing is). BEFORE_SAVE, of a rehearsal too: parts
    (each with dataset and records). AFTER_SAVE, REFUSED: parts, outcomes (by the names of the parts).
    """
    if event not in EVENTS:
        raise ValueError(f"There is no event {event!r}; there are {', '.join(EVENTS)}.")
    _handlers[event].append((name, handler))


def wanted(event: str) -> bool:
    """Whether anybody follows an event: what it tells need not be put together else."""
    return bool(_handlers.get(event))


def tell(event: str, **facts: Any) -> None:
    """Tell those who follow an event. Raises Problem only for BEFORE_SAVE."""
    for name, handler in _handlers.get(event, ()):
        started = time.monotonic()
        try:
            handler(**facts)
        except Problem:
            if event == BEFORE_SAVE:
                raise
            log.exception("%s, told of %s", name, event)
        except Exception as error:
            log.exception("%s, told of %s", name, event)
            if event == BEFORE_SAVE:
                hint = "Nothing was saved. Tell who looks after it."
                raise Problem(
                    f"The extension {name or 'without a name'} failed.", hint, str(error), "extension"
                ) from error
        finally:
            if (taken := time.monotonic() - started) > SLOW:
                log.warning("%s took %.1f s to be told of %s", name, taken, event)


def forget(handler: Handler) -> None:
    """Follow nothing with a handler any more."""
    for several in _handlers.values():
        several[:] = [pair for pair in several if pair[1] is not handler]
