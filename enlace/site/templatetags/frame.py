"""What stands around every page, drawn from skeletons: most of it is the same from one page to the next."""

from __future__ import annotations

from dataclasses import dataclass

from django import template
from django.utils.safestring import SafeString

from enlace.desk.skeleton import drawn, mark

register = template.Library()


@dataclass(frozen=True)
class Someone:
    """What the bar asks of who is signed in."""

    name: str
    role: str


@register.simple_block_tag(takes_context=True)
def bar(context: template.Context, content: SafeString) -> SafeString:
    """The bar: where one is (the content), the stops of the line, and who one is."""
    user = context.get("user")
    printed = {"place": content}
    if user is None or not user.is_authenticated:
        return drawn("bar.html", (("place", mark("place")),), printed)
    printed |= {"name": user.shown_name, "csrf_token": str(context.get("csrf_token", ""))}
    asked = {name: mark(name) for name in ("place", "csrf_token")}
    person = Someone(mark("name"), user.get_role_display())
    stops = tuple(context.get("line", ()))
    return drawn("bar.html", (*asked.items(), ("person", person), ("stops", stops)), printed)


@register.simple_tag
def always(name: str) -> SafeString:
    """A template that is the same for everybody: it asks about nothing."""
    return drawn(name, (), {})
