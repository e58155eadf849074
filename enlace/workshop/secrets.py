"""Passwords of connections: encrypted at rest (Fernet), taken from the environment, or held for one session.

The key comes from ENLACE_KEY, or from the file `connections.key` in ENLACE_HOME, made once with rights for its owner
only. Whoever has Enlace's database without the key reads no password.
"""

from __future__ import annotations

import base64
import hashlib
import os
from contextvars import ContextVar
from functools import lru_cache
from typing import Any

from cryptography.fernet import Fernet, InvalidToken
from django.conf import settings
from django.http import HttpRequest, HttpResponse

from enlace.core.problem import Problem

# What the person of this request has given for connections that ask: {connection's number: sealed password}.
given: ContextVar[dict[str, str] | None] = ContextVar("given", default=None)
IN_SESSION = "passwords"
PREFIX = "DB_PASSWORD_"  # of the environment variables that a connection may read
BOUND = "\0at "


class PasswordAsked(Problem):
    """A connection's password has to be given first. connection: its number."""

    def __init__(self, connection: int, name: str) -> None:
        super().__init__(f"The connection {name} asks for its password.", "Give it and go on.", code="ask")
        self.connection = connection


@lru_cache(maxsize=1)
def _fernet() -> Fernet:
    typed = os.environ.get("ENLACE_KEY")
    if typed:
        return Fernet(base64.urlsafe_b64encode(hashlib.sha256(typed.encode()).digest()))
    path = settings.HOME / "connections.key"
    try:
        with open(os.open(path, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600), "wb") as file:
            file.write(Fernet.generate_key())
    except FileExistsError:
        pass
    return Fernet(path.read_bytes())


def seal(secret: str, place: str = "") -> str:
    """A password as it may be stored. place: what it belongs to; it is opened for that place only."""
    return _fernet().encrypt(f"{BOUND}{place}\0{secret}".encode()).decode() if secret else ""


def opened(sealed: str, place: str = "") -> str:
    """The password behind what `seal` made. Raises Problem when the key or the place is another one by now."""
    if not sealed:
        return ""
    try:
        text = _fernet().decrypt(sealed.encode()).decode()
        if not text.startswith(BOUND):
            return text  # it was kept before passwords were bound to a place
        bound, _, secret = text.removeprefix(BOUND).partition("\0")
        if bound == place:
            return secret
        hint = "Give it anew on the connection's page."
        raise Problem("The kept password was given for another server, database or user.", hint, code="sign-in")
    except InvalidToken:
        hint = "Give the connection its password anew, or bring the old key back."
        raise Problem("A kept password can't be read: the key has changed.", hint, code="sign-in") from None


def check_variable(name: str) -> None:
    """Raises Problem for a variable that is not there for this: others are other programs' secrets."""
    if not name.startswith(PREFIX) and name not in settings.VARIABLES:
        hint = f"Its name begins with {PREFIX}, or whoever runs Enlace lists it in ENLACE_VARIABLES."
        raise Problem(f"The environment variable {name} may not be read here.", hint, code="bad")


def from_environment(name: str) -> str:
    """A password that an environment variable holds. Raises Problem when it is not set."""
    check_variable(name)
    if name not in os.environ:
        hint = f"Set {name} where Enlace is started, then start it anew."
        raise Problem(f"The environment variable {name} is not set.", hint, code="sign-in")
    return os.environ[name]


def given_for(connection: int, name: str, place: str) -> str:
    """What the person of this request gave for a connection. Raises PasswordAsked when it was nothing yet, or was for
    another place than the connection leads to by now."""
    sealed = (given.get() or {}).get(str(connection))
    if sealed is None:
        raise PasswordAsked(connection, name)
    try:
        return opened(sealed, place)
    except Problem:
        raise PasswordAsked(connection, name) from None


class SessionPasswords:
    """Middleware: what the session holds is at hand while its request is answered."""

    def __init__(self, get_response: Any) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        token = given.set(request.session.get(IN_SESSION))
        try:
            return self.get_response(request)
        finally:
            given.reset(token)
