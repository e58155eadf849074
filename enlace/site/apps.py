"""The Django application of the site itself."""

import os
from pathlib import Path

from django.apps import AppConfig
from django.conf import settings
from django.template import engines

from enlace.core.extensions import load
from enlace.core.server.places import Policy, allow, servers_of


class SiteConfig(AppConfig):
    name = "enlace.site"
    label = "enlace_site"

    def ready(self) -> None:
        allow(policy())
        for module in load():
            folder = Path(getattr(module, "__file__", "") or "").parent
            for name, known in (("templates", engines["django"].engine.dirs), ("static", settings.STATICFILES_DIRS)):
                if (own := folder / name).is_dir() and own not in known:
                    known.append(own)


def policy() -> Policy:
    """What may be reached, by the settings."""
    from enlace.workshop.local import folder

    folders = None if settings.FOLDERS is None else tuple(map(Path, filter(None, settings.FOLDERS.split(os.pathsep))))
    return Policy(
        home=settings.HOME,
        own=(*(settings.HOME / name for name in ("local", "practice", "kept", "demo")), folder(True)),
        # The demo's database plays the part of one that was there before: people connect it as they would their own.
        open=(settings.HOME / "demo",) if settings.DEMO else (),
        folders=folders,
        servers=None if settings.SERVERS is None else tuple(servers_of(settings.SERVERS)),
    )
