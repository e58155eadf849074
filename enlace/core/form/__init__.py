"""What a form is: named sources, and a tree of controls on a sheet. One value, one document, one step of undo."""

from .document import COLUMNS, Control, FormDocument, Place, Source, document_of
from .kinds import CONTROL_KINDS, ControlKind

__all__ = ["COLUMNS", "CONTROL_KINDS", "Control", "ControlKind", "FormDocument", "Place", "Source", "document_of"]
