"""Filters of the desk's templates."""

from django import template
from django.conf import settings

from enlace.core.dataset import FieldSpec
from enlace.core.dataset.empty_order import can_be_empty
from enlace.core.kinds import Formats
from enlace.rows.writer import align_of

register = template.Library()


@register.filter
def aligned(field: FieldSpec) -> str:
    """How a field's column stands."""
    return align_of(field)


@register.filter
def counted(number: int) -> str:
    """A number as people write it here: a file may have a hundred thousand rows."""
    return Formats.of(settings.LOCALE).number()(number)


@register.filter
def may_be_empty(field: FieldSpec) -> bool:
    """Whether an order by a field can say where its empty ones go."""
    return can_be_empty(field)


@register.filter
def words(text: str) -> list[str]:
    """The words of a text, to be gone through."""
    return text.split()


@register.filter
def locked_because(field: FieldSpec) -> str:
    """Why nobody types in a column, as a sentence."""
    if field.formula:
        return f"{field.label} is calculated."
    if field.generated:
        return f"The database makes {field.label}."
    if field.outside:
        return f"{field.label} is of another table, and is not saved with this one."
    return field.help or f"{field.label} is read only here."
