"""Filters of the desk's templates."""

from django import template

from enlace.core.dataset import FieldSpec
from enlace.rows.writer import align_of

register = template.Library()


@register.filter
def aligned(field: FieldSpec) -> str:
    """How a field's column stands."""
    return align_of(field)
