"""What controls are drawn from, one file a kind that shows a record or rows by itself.

To add one, add a file with a `Shown` and name it here; its template is `desk/controls/NAME.html`. A kind that is not
here is drawn from its settings alone, or from what all controls of its source are drawn from.
"""

from .base import Drawing, Shown
from .branches import BRANCHES
from .button import BUTTON
from .cards import CARDS
from .chart import CHART
from .editor import EDITOR
from .editors import EDITORS
from .lines import LIST
from .picture import PICTURE
from .value import VALUE

SHOWN: dict[str, Shown] = {
    "editor": EDITOR,
    "editors": EDITORS,
    "value": VALUE,
    "picture": PICTURE,
    "button": BUTTON,
    "cards": CARDS,
    "list": LIST,
    "branches": BRANCHES,
    "chart": CHART,
}

__all__ = ["SHOWN", "Drawing", "Shown"]
