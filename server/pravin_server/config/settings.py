"""Django settings. Everything that differs between machines comes from the environment or var/."""

from __future__ import annotations

import base64
import hashlib
import json
import os
import secrets
from pathlib import Path

from csp.constants import NONE, SELF, UNSAFE_INLINE

ROOT = Path(__file__).resolve().parents[3]
VAR = Path(os.environ.get("PRAVIN_VAR", ROOT / "var"))
TESTING = os.environ.get("PRAVIN_TESTING") == "1"


def _list(name: str, default: str = "") -> list[str]:
    return [part.strip() for part in os.environ.get(name, default).split(",") if part.strip()]


def _flag(name: str) -> bool:
    return os.environ.get(name, "") in ("1", "true", "yes")


def _postgres() -> dict[str, object]:
    """Where PostgreSQL listens: the environment, else var/postgres.json, written by `./pravin`."""
    state = VAR / "postgres.json"
    server = json.loads(state.read_text()) if state.exists() else {"port": 5432, "user": "pravin", "password": ""}
    named = {part: os.environ.get(f"PRAVIN_DATABASE_{part.upper()}") for part in ("host", "port", "user", "password")}
    return {"host": "127.0.0.1", **server, **{part: value for part, value in named.items() if value}}


def _kept(name: str, file: str) -> str:
    """A secret of the installation, from the environment or the file that `./pravin` makes; empty where there is none."""
    place = VAR / file
    return os.environ.get(name, "") or (place.read_text().strip() if place.exists() else "")


POSTGRES = _postgres()
# Without a secret nothing is served (see wsgi.py); building and checking go on with one that is thrown away.
HAS_SECRET = bool(_kept("PRAVIN_SECRET_KEY", "secret"))
SECRET_KEY = _kept("PRAVIN_SECRET_KEY", "secret") or secrets.token_urlsafe(60)
# The keys with which passwords of other databases are sealed, the newest first.
SECRETS_KEYS = [key for key in _kept("PRAVIN_SECRETS_KEY", "secrets.key").split(",") if key] or [
    base64.urlsafe_b64encode(hashlib.sha256(SECRET_KEY.encode()).digest()).decode()
]
DEBUG = False
ALLOWED_HOSTS = _list("PRAVIN_HOSTS", "127.0.0.1,localhost")
CSRF_TRUSTED_ORIGINS = _list("PRAVIN_ORIGINS")

# Served over HTTPS: cookies go over nothing else, and browsers are told to ask for nothing else.
HTTPS = _flag("PRAVIN_HTTPS")
SESSION_COOKIE_SECURE = CSRF_COOKIE_SECURE = HTTPS
SECURE_HSTS_SECONDS = int(os.environ.get("PRAVIN_HSTS_SECONDS", "31536000")) if HTTPS else 0
SECURE_SSL_REDIRECT = HTTPS
# Behind a proxy of ours, which sets these headers and takes them away from what others send.
PROXY = _flag("PRAVIN_PROXY")
SECURE_PROXY_SSL_HEADER = ("HTTP_X_FORWARDED_PROTO", "https") if PROXY else None
USE_X_FORWARDED_HOST = PROXY

INSTALLED_APPS = [
    "django.contrib.auth",
    "django.contrib.contenttypes",
    "django.contrib.postgres",
    "django.contrib.sessions",
    "django.contrib.staticfiles",
    "axes",
    "ninja",
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
    "pravin_server.derived",
    "pravin_server.monitoring",
    "pravin_server.readers",
    "pravin_server.workspace",
    "pravin_server.notices",
    "pravin_server.config",
]

MIDDLEWARE = [
    "django.middleware.security.SecurityMiddleware",
    "whitenoise.middleware.WhiteNoiseMiddleware",
    "csp.middleware.CSPMiddleware",
    "pravin_server.common.texts.FitAddresses",
    "django.contrib.sessions.middleware.SessionMiddleware",
    "django.middleware.common.CommonMiddleware",
    "django.middleware.csrf.CsrfViewMiddleware",
    "django.contrib.auth.middleware.AuthenticationMiddleware",
    "django.middleware.clickjacking.XFrameOptionsMiddleware",
    "axes.middleware.AxesMiddleware",
    "pravin_server.common.repeats.OncePerKey",
]

ROOT_URLCONF = "pravin_server.config.urls"
WSGI_APPLICATION = "pravin_server.config.wsgi.application"
TEMPLATES: list[dict[str, object]] = [{"BACKEND": "django.template.backends.django.DjangoTemplates", "APP_DIRS": True}]

DATABASES = {
    "default": {
        "ENGINE": "django.db.backends.postgresql",
        "NAME": os.environ.get("PRAVIN_DATABASE", "pravin"),
        "HOST": POSTGRES["host"],
        "PORT": POSTGRES["port"],
        "USER": POSTGRES["user"],
        "PASSWORD": POSTGRES["password"],
        "CONN_MAX_AGE": 60,
        "CONN_HEALTH_CHECKS": True,
    }
}
DEFAULT_AUTO_FIELD = "django.db.models.BigAutoField"

AUTH_USER_MODEL = "accounts.User"
AUTHENTICATION_BACKENDS = ["axes.backends.AxesStandaloneBackend", "pravin_server.accounts.backends.WithRoles"]
AUTH_PASSWORD_VALIDATORS = [{"NAME": "django.contrib.auth.password_validation.MinimumLengthValidator"}]
AXES_FAILURE_LIMIT = 8
AXES_COOLOFF_TIME = 0.25  # hours
# of one account from one address: a colleague's typing locks neither the office nor the account elsewhere
AXES_LOCKOUT_PARAMETERS = [["username", "ip_address"]]
AXES_CLIENT_IP_CALLABLE = "pravin_server.common.middleware.address_of"
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
CSRF_FAILURE_VIEW = "pravin_server.config.faults.answer_forged"
SECURE_CONTENT_TYPE_NOSNIFF = True
SECURE_REFERRER_POLICY = "same-origin"
X_FRAME_OPTIONS = "DENY"
# Nothing but our own files, no inline script. Ant Design Vue sets styles at run time, so inline style is allowed.
CONTENT_SECURITY_POLICY = {
    "DIRECTIVES": {
        "default-src": [SELF],
        "script-src": [SELF],
        "style-src": [SELF, UNSAFE_INLINE],
        "img-src": [SELF, "data:"],
        "font-src": [SELF],
        "object-src": [NONE],
        "base-uri": [NONE],
        "frame-ancestors": [NONE],
        "form-action": [SELF],
    }
}

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
FETCH_HOSTS = [host.lower() for host in _list("PRAVIN_FETCH_HOSTS", "127.0.0.1,localhost")]
FETCH_SECONDS = int(os.environ.get("PRAVIN_FETCH_SECONDS", "600"))  # that one fetch may take in all

# Without a mail server mail goes into files: the simulated mailbox.
EMAIL_HOST = os.environ.get("PRAVIN_MAIL_HOST", "")
EMAIL_PORT = int(os.environ.get("PRAVIN_MAIL_PORT", "25"))
EMAIL_HOST_USER = os.environ.get("PRAVIN_MAIL_USER", "")
EMAIL_HOST_PASSWORD = os.environ.get("PRAVIN_MAIL_PASSWORD", "")
EMAIL_USE_TLS = _flag("PRAVIN_MAIL_TLS")
EMAIL_TIMEOUT = 20  # seconds
EMAIL_BACKEND = "django.core.mail.backends.smtp.EmailBackend" if EMAIL_HOST else "pravin_server.notices.mailbox.Mailbox"
MAIL_DIR = VAR / "mail"
MAIL_DOMAIN = os.environ.get("PRAVIN_MAIL_DOMAIN", "pravin.localhost")
DEFAULT_FROM_EMAIL = os.environ.get("PRAVIN_MAIL_FROM", f"Pravin <pravin@{MAIL_DOMAIN}>")

CACHE_DIR = Path(os.environ.get("PRAVIN_CACHE", VAR / "cache"))
CACHE_LIMIT = int(os.environ.get("PRAVIN_CACHE_LIMIT", 20 * 2**30))  # bytes
CACHE_FREE = int(os.environ.get("PRAVIN_CACHE_FREE", 200 * 2**20))  # bytes of the disk that stay free
ENGINE_MEMORY = os.environ.get("PRAVIN_ENGINE_MEMORY", "1GB")
ENGINE_THREADS = int(os.environ.get("PRAVIN_ENGINE_THREADS", "2"))
# So many engines compute at the same time, over all processes: their memory together is bounded.
ENGINES = int(os.environ.get("PRAVIN_ENGINES", "4"))
ENGINE_WAIT = float(os.environ.get("PRAVIN_ENGINE_WAIT", "20"))  # seconds that a request waits for its turn
PREVIEW_SECONDS = float(os.environ.get("PRAVIN_PREVIEW_SECONDS", "120"))  # that one request may compute

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
    # what is answered with a problem is logged by us, once and with its number
    "loggers": {"django.request": {"level": "CRITICAL"}},
}
