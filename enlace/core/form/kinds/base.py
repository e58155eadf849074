"""What a kind of control must say of itself."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from ...listed import names_of
from ...problem import Problem
from ..columns import column_of


@dataclass(frozen=True)
class Setting:
    """One setting of a kind. kind: "text", "letter" (or digit, of a shortcut), "lines", "yes or no", "number", "choice", "field" (its name), "fields",
    "columns" (of a grid), "condition" (an expression over the record) or "target" (the title of a form or a server
    action, or the id of a control, as the setting `act` says). choices: (value, label) pairs. needs: the name of another
    setting, and the values of it with which this one means something."""

    name: str
    label: str
    kind: str = "text"
    default: Any = ""
    choices: tuple[tuple[str, str], ...] = ()
    help: str = ""
    least: int = 0
    most: int = 10_000
    needs: tuple[str, tuple[str, ...]] = ("", ())

    def read(self, text: str) -> Any:
        """A typed text as the setting's value. Raises Problem."""
        if self.kind == "yes or no":
            return text in ("yes", "on", "1", "true")
        if self.kind == "number":
            if not text.strip().isdecimal() or not self.least <= int(text) <= self.most:
                raise Problem(
                    f"{self.label} is not usable.", f"Type a number from {self.least} to {self.most}.", code="bad"
                )
            return int(text)
        if self.kind == "letter":
            letter = text.split("+")[-1].strip().lower()  # as it is shown: Alt+Shift+P
            if letter and not (len(letter) == 1 and letter.isalnum()):
                raise Problem(f"{self.label} is one letter or digit.", "P alone stands for Alt+Shift+P.", code="bad")
            return letter
        if self.kind == "choice" and text not in dict(self.choices):
            raise Problem(f"{self.label} can't be that.", "Choose one of the list.", code="bad")
        if self.kind in ("fields", "columns"):
            return names_of(text.replace("\n", ","))[:200]
        if len(text) > 4000:
            raise Problem(f"{self.label} is too long.", "Shorten it.", code="bad")
        return text if self.kind == "lines" else " ".join(text.split())

    def fits(self, value: Any) -> bool:
        """Whether a stored value is one that the setting can have."""
        if self.kind == "yes or no":
            return isinstance(value, bool)
        if self.kind == "number":
            return type(value) is int and self.least <= value <= self.most
        if self.kind == "choice":
            return isinstance(value, str) and value in dict(self.choices)
        if self.kind == "fields":
            return isinstance(value, list) and all(isinstance(item, str) for item in value)
        if self.kind == "columns":
            return isinstance(value, list) and all(column_of(item) is not None for item in value)
        return isinstance(value, str)


LABEL = Setting("label", "Label", help="What stands above it. Left empty, the field's own label.")
HELP = Setting("help", "Help", help="A line under it.")
SHOWN_WHEN = Setting(
    "shown_when", "Shown when", "condition", help="A condition over the fields of the record. Left empty, always."
)
USABLE_WHEN = Setting(
    "usable_when", "Usable when", "condition", help="A condition over the fields of the record. Left empty, always."
)


@dataclass(frozen=True)
class ControlKind:
    """One kind of control. To add one, make a value of this in a file of its own, name it in the package, and give it a
    template of its name under `desk/controls`.

    name: in documents. label: for people. about: what it is for, in a few words. source, field: whether it is tied to
    them. holds: whether other controls lie on it. size: (columns, rows) that a new one takes. fields: the field kinds
    that it suits; empty for all. edits: whether values are typed in it.
    """

    name: str
    label: str
    about: str
    source: bool = False
    field: bool = False
    holds: bool = False
    size: tuple[int, int] = (4, 2)
    fields: frozenset[str] = frozenset()
    edits: bool = False
    settings: tuple[Setting, ...] = ()

    @property
    def lists(self) -> str:
        """The setting that names the fields it shows, where it shows several; "" for none."""
        return next((setting.name for setting in self.settings if setting.kind in ("fields", "columns")), "")

    def setting(self, name: str) -> Setting:
        """A setting by its name. Raises Problem."""
        for other_setting in self.settings:
            if other_setting.name == name:
                return other_setting
        raise Problem(f"A {self.label.lower()} has no such setting.", "Reload the page.", code="bad")

    def value(self, settings: Any, name: str) -> Any:
        """What a setting of a control is, or is by default."""
        setting = self.setting(name)
        # Most are as they always are.
        return settings[name] if name in settings and setting.fits(settings[name]) else setting.default
