"""Scripts that are modules, with all that they import asked for at once."""

from __future__ import annotations

import re
from functools import cache
from pathlib import Path
from posixpath import dirname, join, normpath

from django import template
from django.contrib.staticfiles.finders import find
from django.templatetags.static import PrefixNode, static
from django.utils.html import format_html_join
from django.utils.safestring import SafeString

register = template.Library()
_IMPORTED = re.compile(r'^(?:import|\} from|import .* from) "(\.[^"]+)"', re.MULTILINE)


@register.simple_tag
@cache  # the files of an application change with its version, which is another process
def module(*names: str) -> SafeString:
    """The script elements of modules, in their order, behind a link for each module that these import, by whatever way.

    What a module imports is known only once it is there: a page names all of them, or they come one after the other. What is
    to be seen at first comes before them.
    """
    prefix = PrefixNode.handle_simple("STATIC_URL")  # as modules name each other: without what tells versions apart
    links = format_html_join(
        "\n", '<link rel="modulepreload" fetchpriority="low" href="{}{}">', ((prefix, one) for one in imported(*names))
    )
    scripts = format_html_join(
        "", '\n<script type="module" fetchpriority="low" src="{}"></script>', ((static(name),) for name in names)
    )
    return links + scripts


def imported(*names: str) -> list[str]:
    """The modules that some modules import, and those that these do, by name; none twice. Those that they ask for only when
    they need them are not among them."""
    found: set[str] = set()
    left = list(names)
    while left:
        here = left.pop()
        for other in _IMPORTED.findall(_source(here)):
            path = normpath(join(dirname(here), other))
            if path not in found:
                found.add(path)
                left.append(path)
    return sorted(found - {*names})


def _source(name: str) -> str:
    path = find(name)
    return Path(path).read_text(encoding="utf-8") if isinstance(path, str) else ""
