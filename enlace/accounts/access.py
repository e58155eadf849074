"""Checks that views put in front."""

from functools import wraps

from django.core.exceptions import PermissionDenied


def builder_only(view):
    """Let builders through; others get a page that says so, with status 403."""

    @wraps(view)
    def checked(request, *args, **kwargs):
        if not request.user.is_authenticated or not request.user.is_builder:
            raise PermissionDenied("The workshop is for builders. Ask a builder to change what you need.")
        return view(request, *args, **kwargs)

    return checked
