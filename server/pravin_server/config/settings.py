"""Django settings. Everything that differs between machines comes from the environment or var/."""

from __future__ import annotations

import json
import os
from pathlib import Path

ROOT = Path(__file__).resolve().parents[3]
VAR = Path(os.environ.get("PRAVIN_VAR", ROOT / "var"))
TESTING = os.environ.get("PRAVIN_TESTING") == "1"


def _postgres() -> dict[str, object]:
    """Where PostgreSQL listens: var/postgres.json, written by `./pravin`."""
    state = VAR / "postgres.json"
    return json.loads(state.read_text()) if state.exists() else {"port": 5432, "user": "pravin", "password": ""}


def _secret() -> str:
    secret = VAR / "secret"
    return secret.read_text().strip() if secret.exists() else "only-for-building-" + "x" * 50


POSTGRES = _postgres()
SECRET_KEY = _secret()
DEBUG = False
ALLOWED_HOSTS = os.environ.get("PRAVIN_HOSTS", "127.0.0.1,localhost,testserver").split(",")
CSRF_TRUSTED_ORIGINS = [o for o in os.environ.get("PRAVIN_ORIGINS", "").split(",") if o]

INSTALLED_APPS = [
    "django.contrib.auth",
    "django.contrib.contenttypes",
    "django.contrib.postgres",
    "django.contrib.sessions",
    "django.contrib.staticfiles",
    "axes",
    "procrastinate.contrib.django",
    "pravin_server.accounts",
    "pravin_server.storage",
    "pravin_server.activity",
    "pravin_server.common",
    "pravin_server.feeds",
    "pravin_server.deliveries",
    "pravin_server.arrivals",
    "pravin_server.rulebooks",
    "pravin_server.library",
    "pravin_server.findings",
    "pravin_server.analyses",
    "pravin_server.runs",
    "pravin_server.quarantine",
    "pravin_server.releases",
]

MIDDLEWARE = [
    "django.middleware.security.SecurityMiddleware",
    "whitenoise.middleware.WhiteNoiseMiddleware",
    "pravin_server.common.middleware.ContentSecurityPolicy",
    "django.contrib.sessions.middleware.SessionMiddleware",
    "django.middleware.common.CommonMiddleware",
    "django.middleware.csrf.CsrfViewMiddleware",
    "django.contrib.auth.middleware.AuthenticationMiddleware",
    "django.middleware.clickjacking.XFrameOptionsMiddleware",
    "axes.middleware.AxesMiddleware",
]

ROOT_URLCONF = "pravin_server.config.urls"
WSGI_APPLICATION = "pravin_server.config.wsgi.application"
TEMPLATES: list[dict[str, object]] = [{"BACKEND": "django.template.backends.django.DjangoTemplates", "APP_DIRS": True}]

DATABASES = {
    "default": {
        "ENGINE": "django.db.backends.postgresql",
        "NAME": os.environ.get("PRAVIN_DATABASE", "pravin"),
        "HOST": "127.0.0.1",
        "PORT": POSTGRES["port"],
        "USER": POSTGRES["user"],
        "PASSWORD": POSTGRES["password"],
        "CONN_MAX_AGE": 60,
        "CONN_HEALTH_CHECKS": True,
    }
}
DEFAULT_AUTO_FIELD = "django.db.models.BigAutoField"

AUTH_USER_MODEL = "accounts.User"
AUTHENTICATION_BACKENDS = ["axes.backends.AxesStandaloneBackend", "django.contrib.auth.backends.ModelBackend"]
AUTH_PASSWORD_VALIDATORS = [{"NAME": "django.contrib.auth.password_validation.MinimumLengthValidator"}]
AXES_FAILURE_LIMIT = 8
AXES_COOLOFF_TIME = 0.25  # hours
AXES_LOCKOUT_PARAMETERS = [["username", "ip_address"]]
AXES_ENABLED = not TESTING
AXES_VERBOSE = False
PASSWORD_HASHERS = (
    ["django.contrib.auth.hashers.MD5PasswordHasher"]
    if TESTING
    else ["django.contrib.auth.hashers.PBKDF2PasswordHasher"]
)

SESSION_COOKIE_HTTPONLY = True
SESSION_COOKIE_SAMESITE = "Lax"
CSRF_COOKIE_SAMESITE = "Lax"
SECURE_CONTENT_TYPE_NOSNIFF = True
SECURE_REFERRER_POLICY = "same-origin"
X_FRAME_OPTIONS = "DENY"

TIME_ZONE = "UTC"
USE_TZ = True
LANGUAGE_CODE = "en"
USE_I18N = False

WEB_DIST = ROOT / "web" / "dist"
STATIC_URL = "/static/"
STATIC_ROOT = VAR / "static"
STATICFILES_DIRS = [("app", WEB_DIST)] if WEB_DIST.exists() else []
STORAGES = {
    "default": {"BACKEND": "pravin_server.storage.database.DatabaseStorage"},
    "staticfiles": {"BACKEND": "whitenoise.storage.CompressedStaticFilesStorage"},
}
WHITENOISE_IMMUTABLE_FILE_TEST = r"^/static/app/assets/"

# A file larger than this goes to a temporary file while it is uploaded, never into memory.
FILE_UPLOAD_MAX_MEMORY_SIZE = 2**20
DATA_UPLOAD_MAX_MEMORY_SIZE = 16 * 2**20
UPLOAD_LIMIT = int(os.environ.get("PRAVIN_UPLOAD_LIMIT", 4 * 2**30))

# Where the simulated outside world of the demo answers; empty where it does not run.
OUTSIDE = os.environ.get("PRAVIN_OUTSIDE", "")
UPLOAD_DIR = VAR / "uploads"
DROP_DIR = Path(os.environ.get("PRAVIN_DROP", VAR / "drop"))
# The hosts that deliveries may be fetched from. Only loopback, until somebody names others.
FETCH_HOSTS = os.environ.get("PRAVIN_FETCH_HOSTS", "127.0.0.1,localhost").split(",")

CACHE_DIR = Path(os.environ.get("PRAVIN_CACHE", VAR / "cache"))
ENGINE_MEMORY = os.environ.get("PRAVIN_ENGINE_MEMORY", "1GB")
ENGINE_THREADS = int(os.environ.get("PRAVIN_ENGINE_THREADS", "2"))

PROCRASTINATE_ON_APP_READY = "pravin_server.common.jobs.on_app_ready"
# jobs of procrastinate that succeeded are deleted: people see ours, and the watching ones come every few seconds
PROCRASTINATE_WORKER_DEFAULTS = {
    "update_heartbeat_interval": 2,
    "stalled_worker_timeout": 8,
    "concurrency": 1,
    "delete_jobs": "successful",
}

LOGGING = {
    "version": 1,
    "disable_existing_loggers": False,
    "handlers": {"console": {"class": "logging.StreamHandler"}},
    "root": {"handlers": ["console"], "level": "WARNING"},
}
