"""Signing in."""

from django.contrib.auth.views import LoginView
from django.core.cache import cache

MOST_TRIES = 10
FORGET_AFTER = 300  # seconds


class SignIn(LoginView):
    """The sign-in page. After MOST_TRIES wrong passwords for a name it asks to wait a few minutes."""

    template_name = "sign_in.html"
    redirect_authenticated_user = True

    def _counter(self) -> str:
        name = self.request.POST.get("username", "")[:150].lower()
        return "sign-in:" + name.encode("utf-8", "replace").hex() + ":" + self.request.META.get("REMOTE_ADDR", "")

    def post(self, request, *args, **kwargs):
        if cache.get(self._counter(), 0) >= MOST_TRIES:
            form = self.get_form()
            form.errors.clear()
            return self.render_to_response(self.get_context_data(form=form, wait=True), status=429)
        return super().post(request, *args, **kwargs)

    def form_invalid(self, form):
        cache.set(self._counter(), cache.get(self._counter(), 0) + 1, FORGET_AFTER)
        return super().form_invalid(form)
