"""The kinds of controls, one file each. To add one, add a file and name it here; its template is `desk/controls/NAME.html`."""

from .base import ControlKind, Setting
from .button import BUTTON
from .cards import CARDS
from .chart import CHART
from .editor import EDITOR
from .grid import GRID
from .group import GROUP
from .heading import HEADING
from .navigator import NAVIGATOR
from .panel import PANEL
from .tabs import PAGE, TABS
from .value import VALUE

CONTROL_KINDS: dict[str, ControlKind] = {
    kind.name: kind
    for kind in (GRID, PANEL, EDITOR, VALUE, NAVIGATOR, CARDS, CHART, BUTTON, HEADING, GROUP, TABS, PAGE)
}

__all__ = ["CONTROL_KINDS", "ControlKind", "Setting"]
