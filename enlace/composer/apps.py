from django.apps import AppConfig


class ComposerConfig(AppConfig):
    name = "enlace.composer"
