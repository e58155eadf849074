"""Checks that views put in front."""

from functools import wraps
from typing import Any

from django.core.exceptions import PermissionDenied
from django.http import HttpRequest, HttpResponse


def builder_only(view: Any) -> Any:
    """Let builders through; others get a page that says so, with status 403."""

    @wraps(view)
    def checked(request: HttpRequest, *args: Any, **kwargs: Any) -> HttpResponse:
        if not request.user.is_authenticated or not request.user.is_builder:
            raise PermissionDenied("The workshop is for builders. Ask a builder to change what you need.")
        return view(request, *args, **kwargs)

    return checked
