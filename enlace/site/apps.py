"""The Django application of the site itself."""

from django.apps import AppConfig


class SiteConfig(AppConfig):
    name = "enlace.site"
    label = "enlace_site"
