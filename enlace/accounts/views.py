"""Signing in, one's password, and one's sessions."""

from __future__ import annotations

import threading
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

from axes.models import AccessAttempt
from django.conf import settings
from django.contrib import messages
from django.contrib.auth import update_session_auth_hash
from django.contrib.auth.forms import AuthenticationForm, PasswordChangeForm
from django.contrib.auth.views import LoginView
from django.core.exceptions import ValidationError
from django.db.models import Sum
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.utils import timezone
from django.views.decorators.http import require_POST

from .log import note
from .models import PersonSession
from .sessions import end

# Hashing a password costs a core a good part of a second on purpose: no more of that at once.
HASHING = threading.BoundedSemaphore(2)
PATIENCE = 5  # seconds
MOST_FROM_ADDRESS = 60  # wrong passwords in the cool-off time, whatever the names


@contextmanager
def _hashing() -> Iterator[bool]:
    """A turn at hashing, or False where none came in time."""
    free = HASHING.acquire(timeout=PATIENCE)
    try:
        yield free
    finally:
        if free:
            HASHING.release()


class SignInForm(AuthenticationForm):
    """Name and password. The demo's people, whose password everybody knows, sign in to the demo only."""

    def confirm_login_allowed(self, user: Any) -> None:
        super().confirm_login_allowed(user)
        if user.demo and not settings.DEMO:
            raise ValidationError("The demo's people are for the demo only.", code="invalid_login")


class SignIn(LoginView):
    """The sign-in page. After several wrong passwords for a name from an address, or for many names, it asks to wait."""

    template_name = "sign_in.html"
    redirect_authenticated_user = True
    authentication_form = SignInForm

    def post(self, request: HttpRequest, *args: Any, **kwargs: Any) -> HttpResponse:
        if _many_from(request.META.get("REMOTE_ADDR", "")):
            return wait(request)
        with _hashing() as free:
            return super().post(request, *args, **kwargs) if free else wait(request, busy=True)


def _many_from(address: str) -> bool:
    since = timezone.now() - settings.AXES_COOLOFF_TIME
    several = AccessAttempt.objects.filter(ip_address=address, attempt_time__gt=since) if address else None
    return several is not None and (several.aggregate(n=Sum("failures_since_start"))["n"] or 0) >= MOST_FROM_ADDRESS


def locked_out(request: HttpRequest, *_: Any) -> HttpResponse:
    """What axes answers for a name and an address that had too many wrong passwords."""
    return wait(request)


def wait(request: HttpRequest, busy: bool = False) -> HttpResponse:
    """The sign-in page, for somebody who has to wait."""
    form = SignInForm(request)
    context = {"form": form, "wait": not busy, "busy": busy, "next": request.POST.get("next", "")}
    return render(request, "sign_in.html", context, status=503 if busy else 429)


def name_of(request: HttpRequest, credentials: Any = None) -> str:
    """The name that wrong passwords are counted under: as people mean it, not as it was typed."""
    given = (credentials or {}).get("username") or request.POST.get("username", "")
    return " ".join(str(given).split()).casefold()[:150]


def account(request: HttpRequest) -> HttpResponse:
    """One's own page: a new password, and where one is signed in."""
    form = PasswordChangeForm(request.user, request.POST or None)
    if request.method == "POST":
        with _hashing() as free:
            if not free:
                return wait(request, busy=True)
            if valid := form.is_valid():
                form.save()  # hashes the new one
        if valid:
            before = request.session.session_key
            update_session_auth_hash(request, form.user)  # other sessions end with the old password
            PersonSession.objects.filter(person=request.user).exclude(key=before).delete()
            PersonSession.objects.filter(key=before).update(key=request.session.session_key)
            note("password changed", request.user)
            messages.success(request, "The password is changed. Everywhere else you are signed out.")
            return redirect("account")
    here = request.session.session_key
    sessions = [
        (person_session, person_session.key == here)
        for person_session in PersonSession.objects.filter(person=request.user)
    ]
    context = {"form": form, "sessions": sessions}
    return render(request, "account.html", context, status=400 if form.errors else 200)


@require_POST
def end_session(request: HttpRequest, number: int) -> HttpResponse:
    """Sign out somewhere else."""
    person_session = PersonSession.objects.filter(person=request.user, pk=number).first()
    if person_session is not None:
        end(person_session)
        note("session ended", request.user)
        messages.success(request, "That session is ended.")
    return redirect("account")
