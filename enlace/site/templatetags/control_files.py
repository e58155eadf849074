"""What the kinds of controls bring to a page beside their templates: a style and a script, each found by the kind's name."""

from __future__ import annotations

import logging
from functools import cache

from django import template
from django.contrib.staticfiles.finders import find
from django.templatetags.static import static
from django.utils.html import format_html_join
from django.utils.safestring import SafeString

from enlace.core.form import CONTROL_KINDS

from .modules import module

register = template.Library()
log = logging.getLogger(__name__)


@register.simple_tag
def control_styles() -> SafeString:
    """A link for each kind that has a style, `enlace/controls/NAME.css`."""
    return _links(_files(tuple(CONTROL_KINDS), "css"))


@register.simple_tag
def module_with_controls(name: str) -> SafeString:
    """A page's own module behind those of the kinds that have one, `enlace/controls/NAME.js`: it finds their elements at work."""
    return module(*_files(tuple(CONTROL_KINDS), "js"), name)


@cache
def _links(names: tuple[str, ...]) -> SafeString:
    return format_html_join("\n", '<link rel="stylesheet" href="{}">', ((static(name),) for name in names))


@cache  # the files of an application change with its version, which is another process
def _files(kinds: tuple[str, ...], end: str) -> tuple[str, ...]:
    names = (f"enlace/controls/{kind}.{end}" for kind in kinds)
    return tuple(name for name in names if find(name) and _served(name))


def _served(name: str) -> bool:
    try:
        static(name)
    except ValueError:  # no page fails for a file of an extension that came later than the others
        log.warning("%s is not served before `manage.py collectstatic` was run.", name)
        return False
    return True
