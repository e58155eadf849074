"""From which address a request comes: what the server says, which takes a proxy's word only where one is set."""

from django.http import HttpRequest


def address_of(request: HttpRequest) -> str | None:
    """The address, None where there is none."""
    return request.META.get("REMOTE_ADDR") or None
