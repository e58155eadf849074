"""A plain client over HTTP, for the real server process: cookies, the CSRF token of a page, nothing else."""

from __future__ import annotations

import re
import urllib.error
import urllib.parse
import urllib.request
from http.cookiejar import CookieJar


class Client:
    """One person's browser, without a browser. Every answer is (status, text)."""

    def __init__(self, base: str) -> None:
        self.base, self.jar, self.token = base, CookieJar(), ""
        self.opener = urllib.request.build_opener(urllib.request.HTTPCookieProcessor(self.jar))

    def ask(self, path: str, data: dict[str, str] | None = None, timeout: float = 60) -> tuple[int, str]:
        body = None if data is None else urllib.parse.urlencode(data).encode()
        headers = {"HX-Request": "true", "X-CSRFToken": self.token, "Referer": self.base + "/"}
        request = urllib.request.Request(self.base + path, body, headers if body is not None else {})
        try:
            with self.opener.open(request, timeout=timeout) as response:
                return response.status, response.read().decode() + " " + response.headers.get("HX-Trigger", "")
        except urllib.error.HTTPError as error:
            return error.code, error.read().decode(errors="replace")

    def sign_in(self, name: str, password: str) -> None:
        page = self.ask("/sign-in/")[1]
        self.token = re.search(r'name="csrfmiddlewaretoken" value="(\w+)"', page)[1]
        status, page = self.ask(
            "/sign-in/", {"username": name, "password": password, "csrfmiddlewaretoken": self.token}
        )
        assert status == 200 and "hx-headers" in page, page[:300]
        self.renew()

    def renew(self, path: str = "/desk/") -> str:
        """Read a page, and take the token that its acts send; the page."""
        page = self.ask(path)[1]
        token = re.search(r"X-CSRFToken[^A-Za-z0-9]+(?:&quot;|\")([A-Za-z0-9]{20,})", page)
        self.token = token[1] if token else self.token
        return page
