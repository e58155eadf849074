"""Where the application's own files are."""

from __future__ import annotations

from functools import lru_cache

from whitenoise.storage import CompressedManifestStaticFilesStorage


class Files(CompressedManifestStaticFilesStorage):
    """Files whose names tell their version; the address of each is looked up once, since a page names a dozen of them."""

    @lru_cache(maxsize=500)  # noqa: B019 (there is one of it for the life of a process)
    def url(self, name: str, force: bool = False) -> str:
        """The address of a file. Raises ValueError for one that was not collected."""
        address: str = super().url(name, force)
        return address
