"""Problems that no view caught, as pages."""

from typing import Any
from urllib.parse import urlencode, urlsplit, urlunsplit

from django.conf import settings
from django.contrib.auth.middleware import LoginRequiredMiddleware
from django.contrib.auth.views import redirect_to_login
from django.core.exceptions import DisallowedRedirect
from django.http import HttpRequest, HttpResponse, HttpResponseNotAllowed
from django.shortcuts import redirect
from django.urls import reverse

from enlace.accounts.log import note
from enlace.core.problem import Problem
from enlace.workshop.secrets import PasswordAsked

from .views import problem_page

# What a problem's code means for the one who asked (RFC 9110, section 15).
STATUS = {
    "missing": 404,
    "gone": 404,
    "table gone": 404,
    "unreadable": 404,
    "bad": 400,
    "forbidden": 403,
    "locked": 503,
    "slow": 503,
    "coming": 503,
    "away": 503,
}


def page_of(request: HttpRequest) -> str:
    """The page that a request is for: of what a form sends, the one that the form is on, since only that can be opened."""
    if request.method in ("GET", "HEAD"):
        return request.get_full_path()
    came = urlsplit(request.headers.get("Referer", ""))
    return urlunsplit(("", "", came.path, came.query, "")) if came.netloc == request.get_host() else "/"


class SignedIn(LoginRequiredMiddleware):
    """Leads people who are not signed in to the sign-in page; a part of a page is told instead of sent there."""

    def handle_no_permission(self, request: HttpRequest, view_func: Any) -> HttpResponse:
        if request.headers.get("HX-Request") == "true":
            hint = "Sign in again in another tab; what you typed here is kept."
            return problem_page(request, 403, "You are not signed in any more.", hint)
        try:
            return redirect_to_login(page_of(request))
        except DisallowedRedirect:
            return redirect(settings.LOGIN_URL)  # too long an address to be come back to


class ProblemMiddleware:
    """Turns a core Problem into a page with its sentence and a fitting status."""

    def __init__(self, get_response: Any) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        response = self.get_response(request)
        if request.method == "POST" and request.path.startswith("/workshop/"):
            note(
                "definition",
                request.user,
                path=request.path,
                act=request.POST.get("act", "")[:40],
                status=response.status_code,
            )
        elif response.status_code == 403:
            note("refused", request.user, path=request.path, method=request.method)
        if isinstance(response, HttpResponseNotAllowed):
            hint = "Open the page that it belongs to, from the bar at the top."
            page = problem_page(request, 405, "This address only takes what a page sends.", hint)
            page["Allow"] = response["Allow"]
            return page
        return response

    def process_exception(self, request: HttpRequest, exception: Exception) -> HttpResponse | None:
        if isinstance(exception, PasswordAsked):
            return ask_password(request, exception)
        if isinstance(exception, Problem):
            status = STATUS.get(exception.code, 409)
            page = problem_page(request, status, exception.what, exception.hint, exception.words)
            if exception.code == "away":
                page["X-Database"] = "away"  # a page that is open tells it beside its title
            elif exception.code == "coming":
                page["X-Coming"] = "1"  # a page that is open asks again until it is there
            return page
        return None


def ask_password(request: HttpRequest, asked: PasswordAsked) -> HttpResponse:
    """Lead to the page that takes a connection's password, and back again from there."""
    to = reverse("unlock", args=[asked.connection])
    if request.headers.get("HX-Request") == "true":
        # A part of a page: the person is told, and what was typed stays.
        page = urlsplit(request.headers.get("HX-Current-URL", "")).path
        return HttpResponse(str(asked), status=401, headers={"X-Unlock": f"{to}?{urlencode({'next': page})}"})
    return redirect(f"{to}?{urlencode({'next': page_of(request)})}")
