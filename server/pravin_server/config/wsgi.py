"""The WSGI entry for gunicorn."""

import os

from django.conf import settings
from django.core.exceptions import ImproperlyConfigured
from django.core.wsgi import get_wsgi_application

from pravin_core.collecting import collect_seldom

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "pravin_server.config.settings")
collect_seldom()
application = get_wsgi_application()

if not settings.HAS_SECRET:
    raise ImproperlyConfigured(
        "There is no secret: set PRAVIN_SECRET_KEY, or start with ./pravin start, which makes one."
    )
