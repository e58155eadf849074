"""A developer's own code: what an extension can add to the engine, and how it is found.

An extension is a module with a function `register(engine)`, named by an entry point of the group `enlace.extensions` or
by the setting ENLACE_EXTENSIONS (files or names of modules, apart by the system's path separator). It is called once, when
the application starts, with an `Engine`. An extension that fails is logged, and everything goes on without it.
"""

from __future__ import annotations

import importlib
import importlib.util
import os
import sys
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, field
from importlib.metadata import entry_points
from pathlib import Path
from types import ModuleType
from typing import Any

from sqlglot import exp

from . import hooks
from .exchange.writers import WRITERS, Writer
from .expression.own import OWN, TYPES, OwnFunction
from .expression.parse import parsed
from .form.kinds import CONTROL_KINDS, ControlKind
from .kinds import KINDS, TEXTS, Kind
from .kinds.knowledge import KNOWN

GROUP, SETTING = "enlace.extensions", "ENLACE_EXTENSIONS"
_loaded: dict[str, ModuleType] = {}


@dataclass(frozen=True)
class Engine:
    """What an extension registers with. name: the extension's own. undo: what takes back what it registered so far."""

    name: str
    undo: list[Callable[[], Any]] = field(default_factory=list)

    def on(self, event: str, handler: hooks.Handler) -> None:
        """Follow an event of `core.hooks`."""
        hooks.on(event, handler, self.name)
        self.undo.append(lambda: hooks.forget(handler))

    def field_kind(self, kind: Kind) -> None:
        """Add a field kind, with a name and a label of its own. Its attribute `like` names the kind whose fields may be given
        this one; like a kind of texts, it is one wherever kinds are told apart."""
        self._add(KINDS, kind.name, kind, "field kind")
        if getattr(kind, "like", "") in TEXTS:
            TEXTS.append(kind.name)
            self.undo.append(lambda: TEXTS.remove(kind.name))

    def text_check(self, name: str, label: str, check: Callable[[str], bool], example: str) -> None:
        """Add something that texts can be checked as, beside e-mail addresses, container numbers and the like."""
        self._add(KNOWN, name, (label, check, example), "text check")

    def control_kind(self, kind: ControlKind) -> None:
        """Add a kind of control; its template `desk/controls/NAME.html` lies in the extension's folder `templates`, a style or a
        script `enlace/controls/NAME.css` or `.js` in its folder `static`."""
        self._add(CONTROL_KINDS, kind.name, kind, "kind of control")

    def function(
        self,
        name: str,
        takes: Sequence[str],
        gives: str,
        compute: Callable[..., Any],
        sql: Callable[[str, Sequence[str]], str] | None = None,
    ) -> None:
        """Add a function to expressions, so to rules, conditions and calculated fields: `expression.own.OwnFunction`."""
        if not name.isidentifier() or gives not in TYPES or not set(takes) <= set(TYPES):
            raise ValueError(f"{name} takes and gives values of the types {', '.join(TYPES)}.")
        if not isinstance(parsed(f"{name}()"), exp.Anonymous):
            raise ValueError(f"SQL has a function called {name} already.")
        self._add(OWN, name.lower(), OwnFunction(name, tuple(takes), gives, compute, sql), "function")

    def export_format(
        self, name: str, label: str, media_type: str, end: str, write: Callable[..., Iterator[str]]
    ) -> None:
        """Add a format that rows go out in. write(names, rows): pieces of text, of values as `exchange.json_out` has them."""
        self._add(WRITERS, name, Writer(label, media_type, end, write), "export format")

    def _add(self, known: Any, name: str, added: Any, what: str) -> None:
        if name in known:
            raise ValueError(f"There is a {what} called {name} already.")
        known[name] = added
        self.undo.append(lambda: known.pop(name, None))


def load() -> list[ModuleType]:
    """Load all extensions that are installed or named, each once."""
    for entry in entry_points(group=GROUP):
        _register(entry.name, entry.load)
    for text in filter(None, os.environ.get(SETTING, "").split(os.pathsep)):
        _register(Path(text).stem, lambda text=text: _module(text))  # type: ignore[misc]
    return list(_loaded.values())


def _register(name: str, found: Callable[[], Any]) -> None:
    if name in _loaded:
        return
    engine = Engine(name)
    try:
        module = found()
        module.register(engine)
        _loaded[name] = module
    except Exception:
        # Whole or not at all: half of an extension would be one that nobody wrote.
        for take_back in reversed(engine.undo):
            take_back()
        hooks.log.exception("The extension %s could not be loaded", name)


def _module(text: str) -> ModuleType:
    path = Path(text)
    if path.suffix != ".py":
        return importlib.import_module(text)
    spec = importlib.util.spec_from_file_location(f"enlace_extension_{path.stem}", path)
    if spec is None or spec.loader is None:
        raise ImportError(f"{path} is no module of Python.")
    module = importlib.util.module_from_spec(spec)
    sys.modules[spec.name] = module
    spec.loader.exec_module(module)
    return module
