"""A picture: one field of the current record that holds an image."""

from .base import LABEL, SHOWN_WHEN, ControlKind

PICTURE = ControlKind(
    "picture",
    "Picture",
    "The image in a field of the current record",
    source=True,
    field=True,
    size=(3, 5),
    fields=frozenset({"picture"}),
    settings=(LABEL, SHOWN_WHEN),
)
