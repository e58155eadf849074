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
from dataclasses import dataclass
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
    """What an extension registers with. name: the extension's own."""

    name: str

    def on(self, event: str, handler: hooks.Handler) -> None:
        """Follow an event of `core.hooks`."""
        hooks.on(event, handler, self.name)

    def field_kind(self, kind: Kind) -> None:
        """Add a field kind, with a name and a label of its own. Its attribute `like` names the kind whose fields may be given
        this one; like a kind of texts, it is one wherever kinds are told apart."""
        _new(KINDS, kind.name, "field kind")
        KINDS[kind.name] = kind
        if getattr(kind, "like", "") in TEXTS:
            TEXTS.append(kind.name)

    def text_check(self, name: str, label: str, check: Callable[[str], bool], example: str) -> None:
        """Add something that texts can be checked as, beside e-mail addresses, container numbers and the like."""
        _new(KNOWN, name, "text check")
        KNOWN[name] = (label, check, example)

    def control_kind(self, kind: ControlKind) -> None:
        """Add a kind of control; its template `desk/controls/NAME.html` lies in the extension's folder `templates`."""
        _new(CONTROL_KINDS, kind.name, "kind of control")
        CONTROL_KINDS[kind.name] = kind

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
        _new(OWN, name.lower(), "function")
        OWN[name.lower()] = OwnFunction(name, tuple(takes), gives, compute, sql)

    def export_format(
        self, name: str, label: str, media_type: str, end: str, write: Callable[..., Iterator[str]]
    ) -> None:
        """Add a format that rows go out in. write(names, rows): pieces of text, of values as `exchange.json_out` has them."""
        _new(WRITERS, name, "export format")
        WRITERS[name] = Writer(label, media_type, end, write)


def _new(known: Any, name: str, what: str) -> None:
    if name in known:
        raise ValueError(f"There is a {what} called {name} already.")


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
    try:
        module = found()
        module.register(Engine(name))
        _loaded[name] = module
    except Exception:
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
