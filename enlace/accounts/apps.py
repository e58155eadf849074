"""The Django application."""

from django.apps import AppConfig


class AccountsConfig(AppConfig):
    name = "enlace.accounts"
    label = "accounts"

    def ready(self) -> None:
        from . import sessions  # noqa: F401 (its receivers)
