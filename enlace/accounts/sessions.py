"""Sessions of people: known, so that they can be listed and ended; and ended when nobody is there any more."""

from __future__ import annotations

import time
from datetime import timedelta
from typing import Any

from django.conf import settings
from django.contrib.auth import logout
from django.contrib.auth.signals import user_logged_in, user_logged_out, user_login_failed
from django.contrib.sessions.models import Session
from django.dispatch import receiver
from django.http import HttpRequest, HttpResponse
from django.utils import timezone

from .log import note
from .models import PersonSession

SEEN, BEGAN = "seen", "began"
EVERY = 60  # seconds: how often it is noted that somebody is there
# What a page asks by itself does not mean that somebody is there.
BY_ITSELF = ("/pulse", "/count", "/totals")


@receiver(user_logged_in)
def _began(sender: Any, request: HttpRequest, user: Any, **_: Any) -> None:
    now = int(time.time())
    request.session[SEEN] = request.session[BEGAN] = now
    if not request.session.session_key:
        request.session.save()
    stale = timezone.now() - timedelta(seconds=settings.SESSION_COOKIE_AGE)
    PersonSession.objects.filter(began__lt=stale).delete()
    PersonSession.objects.update_or_create(
        key=request.session.session_key,
        defaults={
            "person": user,
            "address": request.META.get("REMOTE_ADDR", "")[:64],
            "browser": request.headers.get("User-Agent", "")[:200],
        },
    )
    note("signed in", user, address=request.META.get("REMOTE_ADDR", ""))


@receiver(user_logged_out)
def _ended(sender: Any, request: HttpRequest, user: Any, **_: Any) -> None:
    if request.session.session_key:
        PersonSession.objects.filter(key=request.session.session_key).delete()
    note("signed out", user)


@receiver(user_login_failed)
def _failed(sender: Any, credentials: Any, request: HttpRequest = None, **_: Any) -> None:
    note("sign-in refused", None, name=str(credentials.get("username", ""))[:150],
         address=request.META.get("REMOTE_ADDR", "") if request else "")  # fmt: skip


def end(person_session: PersonSession) -> None:
    """End a session."""
    Session.objects.filter(session_key=person_session.key).delete()
    person_session.delete()


class Presence:
    """Middleware: a session ends when nobody was there for IDLE_SECONDS, and the demo's people with the demo."""

    def __init__(self, get_response: Any) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        if request.user.is_authenticated and BEGAN in request.session:
            now, seen = int(time.time()), request.session.get(SEEN, 0)
            if now - seen > settings.IDLE_SECONDS or (request.user.demo and not settings.DEMO):
                logout(request)
            elif now - seen > EVERY and not request.path.endswith(BY_ITSELF):
                request.session[SEEN] = now
        response = self.get_response(request)
        if request.user.is_authenticated and not response.has_header("Cache-Control"):
            response["Cache-Control"] = "no-store"  # it shows what is in a database
        return response
