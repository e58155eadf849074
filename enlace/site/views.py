"""The start page and the pages for what went wrong."""

from typing import Any

from django.conf import settings
from django.core.exceptions import RequestDataTooBig, TooManyFieldsSent
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render

from enlace.workshop.models import first_form


def home(request: HttpRequest) -> HttpResponse:
    """Builders start in the workshop, operators at the desk, or at the form that their only project opens first."""
    if request.user.is_builder:
        return redirect("projects")
    form = first_form(request.user)
    return redirect("desk") if form is None else redirect("work", form.pk)


def problem_page(request: HttpRequest, status: Any, title: Any, hint: Any, words: Any = "") -> HttpResponse:
    """One page for everything that could not be done; a fragment where a part of a page was asked for."""
    htmx = request.headers.get("HX-Request") == "true"
    template = "problem_fragment.html" if htmx else "problem.html"
    return render(request, template, {"title": title, "hint": hint, "words": words, "status": status}, status=status)


def bad_request(request: HttpRequest, exception: Exception | None = None) -> HttpResponse:
    if isinstance(exception, RequestDataTooBig | TooManyFieldsSent):
        what = f"This is more than Enlace takes at once: {settings.DATA_UPLOAD_MAX_MEMORY_SIZE // 2**20} MB of text."
        return problem_page(request, 400, what, "Make it shorter, or send it in parts.")
    hint = "Go back and try again; if you typed the address by hand, check it."
    return problem_page(request, 400, "This request could not be understood.", hint)


def forbidden(request: HttpRequest, exception: Exception | None = None) -> HttpResponse:
    hint = str(exception or "") or "Sign in as somebody who may, or ask a builder of the project."
    return problem_page(request, 403, "You may not open this page.", hint)


def not_found(request: HttpRequest, exception: Exception | None = None) -> HttpResponse:
    hint = "It may have been removed or renamed. Start again from the bar at the top."
    return problem_page(request, 404, "There is nothing at this address.", hint)


def server_error(request: HttpRequest) -> HttpResponse:
    hint = "What you had typed into a form is kept in your draft. Go back and try again; the log has the details."
    return problem_page(request, 500, "Something went wrong inside Enlace.", hint)
