"""The Django application."""

from django.apps import AppConfig
from django.db.models.signals import post_migrate


class WorkshopConfig(AppConfig):
    name = "enlace.workshop"
    label = "workshop"

    def ready(self) -> None:
        from .definitions import watch_definitions

        post_migrate.connect(watch_definitions, sender=self, dispatch_uid="watch definitions")
