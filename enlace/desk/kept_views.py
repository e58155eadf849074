"""Keep a copy, work from it while the server is away, go back to the server."""

from __future__ import annotations

from django.conf import settings
from django.contrib import messages
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_POST

from enlace.core.kinds import Formats
from enlace.core.problem import Problem
from enlace.workshop.models import Form

from .kept import KeptCopy
from .work import Work

IN_USE = "kept copies in use"


def in_use(request: HttpRequest, form: Form) -> bool:
    """Whether the person works from the copy of a form in this session."""
    return form.pk in request.session.get(IN_USE, ()) and KeptCopy(form, request.user).made is not None


def leave(request: HttpRequest, form: Form) -> None:
    """Work on the server again."""
    request.session[IN_USE] = [item for item in request.session.get(IN_USE, ()) if item != form.pk]


@require_POST
def act(request: HttpRequest, form_id: int) -> HttpResponse:
    """Make a copy, use it, leave it, or throw it away."""
    form = get_object_or_404(
        Form.objects.for_person(request.user).select_related("dataset__connection", "project"), pk=form_id
    )
    copy = KeptCopy(form, request.user)
    wanted = request.POST.get("act", "")
    if wanted == "make":
        work = Work(request.user, form, Formats.of(settings.LOCALE))
        count = copy.make(work.live, [part.dataset for part in work.parts.values()])
        messages.success(request, f"A copy of {count} rows is kept. When the server is away, the form offers it.")
    elif wanted == "use":
        _ = copy.spec
        request.session[IN_USE] = [*request.session.get(IN_USE, ()), form.pk]
    elif wanted == "leave":
        leave(request, form)
    elif wanted == "throw away":
        leave(request, form)
        copy.throw_away()
        messages.success(request, "The copy is gone.")
    else:
        raise Problem("The request is incomplete.", "Go back to the form and press the button again.", code="bad")
    return redirect("work", form.pk)


def away_page(request: HttpRequest, form: Form, problem: Problem) -> HttpResponse:
    """The server is away, and there is a copy: offer it."""
    context = {"form": form, "problem": problem, "made": KeptCopy(form, request.user).made}
    return render(request, "desk/away.html", context, status=503)
