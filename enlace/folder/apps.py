from django.apps import AppConfig


class FolderConfig(AppConfig):
    name = "enlace.folder"
