"""The kinds of controls, one file each. To add one, add a file and name it here; its template is `desk/controls/NAME.html`."""

from .base import ControlKind, Setting
from .branches import BRANCHES
from .button import BUTTON
from .cards import CARDS
from .chart import CHART
from .editor import EDITOR
from .grid import GRID
from .group import GROUP
from .heading import HEADING
from .list import LIST
from .navigator import NAVIGATOR
from .panel import PANEL
from .picture import PICTURE
from .tabs import PAGE, TABS
from .value import VALUE

KINDS = (
    GRID, PANEL, EDITOR, VALUE, PICTURE, NAVIGATOR, LIST, BRANCHES, CARDS, CHART, BUTTON, HEADING, GROUP, TABS, PAGE,
)  # fmt: skip
CONTROL_KINDS: dict[str, ControlKind] = {kind.name: kind for kind in KINDS}

__all__ = ["CONTROL_KINDS", "ControlKind", "Setting"]
