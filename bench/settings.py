"""The site's settings with the hand-written view beside it."""

from enlace.site.settings import *  # noqa: F403

ROOT_URLCONF = "bench.urls"
