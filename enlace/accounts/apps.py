"""The Django application."""

from django.apps import AppConfig


class AccountsConfig(AppConfig):
    name = "enlace.accounts"
    label = "accounts"
