"""A database of its own for benches that ask the application in their own process."""

from __future__ import annotations

import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path


@contextmanager
def database() -> Iterator[None]:
    """An empty database as the tests have one, and a cache beside it; both are gone afterwards."""
    import django
    from django.test.utils import get_runner

    django.setup()
    from django.conf import settings

    runner = get_runner(settings, "django.test.runner.DiscoverRunner")(verbosity=0, interactive=False)
    old = runner.setup_databases()
    settings.ALLOWED_HOSTS = [*settings.ALLOWED_HOSTS, "testserver"]
    with tempfile.TemporaryDirectory(prefix="pravin-bench-") as place:
        settings.CACHE_DIR, settings.UPLOAD_DIR = Path(place) / "cache", Path(place) / "uploads"
        settings.DROP_DIR, settings.MAIL_DIR = Path(place) / "drop", Path(place) / "mail"
        try:
            yield
        finally:
            runner.teardown_databases(old)
