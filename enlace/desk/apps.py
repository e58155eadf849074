"""The Django application."""

from django.apps import AppConfig


class DeskConfig(AppConfig):
    name = "enlace.desk"
    label = "desk"
