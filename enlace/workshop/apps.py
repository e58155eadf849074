"""The Django application."""

from django.apps import AppConfig


class WorkshopConfig(AppConfig):
    name = "enlace.workshop"
    label = "workshop"
