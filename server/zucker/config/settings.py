"""Settings, all from the environment; the defaults suit one machine behind a proxy."""

from __future__ import annotations

import os
from pathlib import Path

import structlog
from csp.constants import NONE, SELF

ROOT = Path(__file__).resolve().parents[3]
SECRET_KEY = os.environ.get("ZUCKER_SECRET_KEY", "only-for-commands-that-touch-no-session")
DEBUG = False
TESTING = os.environ.get("ZUCKER_TESTING") == "1"
ALLOWED_HOSTS = os.environ.get("ZUCKER_HOSTS", "localhost,127.0.0.1,[::1]").split(",")
HTTPS = os.environ.get("ZUCKER_HTTPS") == "1"
DEMO = os.environ.get("ZUCKER_DEMO") == "1"

INSTALLED_APPS = [
    "django.contrib.auth",
    "django.contrib.contenttypes",
    "django.contrib.sessions",
    "django.contrib.staticfiles",
    "django.contrib.postgres",
    "axes",
    "ninja",
    "simple_history",
    "procrastinate.contrib.django",
    "zucker.people",
    "zucker.telemetry",
    "zucker.woods",
    "zucker.sugarhouse",
    "zucker.barrels",
    "zucker.season",
]

MIDDLEWARE = [
    "django.middleware.security.SecurityMiddleware",
    "csp.middleware.CSPMiddleware",
    "zucker.config.limits.BodyLimit",
    "whitenoise.middleware.WhiteNoiseMiddleware",
    "django.contrib.sessions.middleware.SessionMiddleware",
    "django.middleware.common.CommonMiddleware",
    "django.middleware.csrf.CsrfViewMiddleware",
    "django.contrib.auth.middleware.AuthenticationMiddleware",
    "simple_history.middleware.HistoryRequestMiddleware",
    "django.middleware.clickjacking.XFrameOptionsMiddleware",
    "axes.middleware.AxesMiddleware",
]

ROOT_URLCONF = "zucker.config.urls"
WSGI_APPLICATION = "zucker.config.wsgi.application"
DATABASES = {
    "default": {
        "ENGINE": "django.db.backends.postgresql",
        "NAME": os.environ.get("ZUCKER_DB_NAME", "zucker"),
        "USER": os.environ.get("ZUCKER_DB_USER", "zucker"),
        "PASSWORD": os.environ.get("ZUCKER_DB_PASSWORD", ""),
        "HOST": os.environ.get("ZUCKER_DB_HOST", "127.0.0.1"),
        "PORT": os.environ.get("ZUCKER_DB_PORT", "54329"),
        "CONN_MAX_AGE": 60,
        "CONN_HEALTH_CHECKS": True,
    }
}
DEFAULT_AUTO_FIELD = "django.db.models.BigAutoField"

AUTH_USER_MODEL = "people.Person"
AUTHENTICATION_BACKENDS = ["axes.backends.AxesStandaloneBackend", "django.contrib.auth.backends.ModelBackend"]
PASSWORD_HASHERS = ["django.contrib.auth.hashers.Argon2PasswordHasher"]
AUTH_PASSWORD_VALIDATORS = [
    {"NAME": "django.contrib.auth.password_validation.MinimumLengthValidator", "OPTIONS": {"min_length": 10}},
    {"NAME": "django.contrib.auth.password_validation.CommonPasswordValidator"},
]
AXES_FAILURE_LIMIT = 8
AXES_COOLOFF_TIME = 0.25  # hours
AXES_LOCKOUT_PARAMETERS = [["username", "ip_address"]]
AXES_LOCKOUT_CALLABLE = "zucker.people.access.locked_out"
AXES_VERBOSE = False

LANGUAGE_CODE = "en-us"
TIME_ZONE = "UTC"
USE_TZ = True

DATA_UPLOAD_MAX_MEMORY_SIZE = 4 * 1024 * 1024
SESSION_COOKIE_HTTPONLY = True
SESSION_COOKIE_SAMESITE = "Lax"
SESSION_COOKIE_AGE = 60 * 60 * 24 * 30
SESSION_COOKIE_SECURE = CSRF_COOKIE_SECURE = HTTPS
CSRF_COOKIE_SAMESITE = "Lax"
SECURE_CONTENT_TYPE_NOSNIFF = True
SECURE_REFERRER_POLICY = "same-origin"
if HTTPS:
    SECURE_PROXY_SSL_HEADER = ("HTTP_X_FORWARDED_PROTO", "https")
    CSRF_TRUSTED_ORIGINS = [f"https://{host}" for host in ALLOWED_HOSTS]
X_FRAME_OPTIONS = "DENY"
CONTENT_SECURITY_POLICY = {
    "DIRECTIVES": {
        "default-src": [NONE],
        "script-src": [SELF],
        "style-src": [SELF],
        "img-src": [SELF, "data:"],
        "font-src": [SELF],
        "connect-src": [SELF],
        "manifest-src": [SELF],
        "worker-src": [SELF],
        "frame-ancestors": [NONE],
        "base-uri": [NONE],
        "form-action": [SELF],
    }
}

# where alarms are mailed from; without a mail server they go to the log
EMAIL_HOST = os.environ.get("ZUCKER_MAIL_HOST", "")
EMAIL_PORT = int(os.environ.get("ZUCKER_MAIL_PORT", "587"))
EMAIL_HOST_USER = os.environ.get("ZUCKER_MAIL_USER", "")
EMAIL_HOST_PASSWORD = os.environ.get("ZUCKER_MAIL_PASSWORD", "")
EMAIL_USE_TLS = os.environ.get("ZUCKER_MAIL_TLS", "1") == "1"
EMAIL_TIMEOUT = 15
EMAIL_BACKEND = f"django.core.mail.backends.{'smtp' if EMAIL_HOST else 'console'}.EmailBackend"
DEFAULT_FROM_EMAIL = os.environ.get("ZUCKER_MAIL_FROM", "zucker@localhost")

TABLES = Path(os.environ.get("ZUCKER_TABLES", ROOT / ".local" / "tables"))
"""Where leak tables are kept: any folder that web and worker of one machine share; it may be emptied at any time."""

STATIC_URL = "/static/"
WEB_DIST = ROOT / "web" / "dist"
WHITENOISE_ROOT = WEB_DIST if WEB_DIST.exists() else None
WHITENOISE_INDEX_FILE = True
WHITENOISE_IMMUTABLE_FILE_TEST = r"^/assets/.+-[\w-]{8,}\..+$"
STORAGES = {
    "default": {"BACKEND": "django.core.files.storage.FileSystemStorage"},
    "staticfiles": {"BACKEND": "whitenoise.storage.CompressedStaticFilesStorage"},
}
TEMPLATES = [{"BACKEND": "django.template.backends.django.DjangoTemplates", "APP_DIRS": True}]

PROCRASTINATE_IMPORT_PATHS = ["zucker.telemetry.jobs", "zucker.woods.jobs"]

structlog.configure(
    processors=[
        structlog.contextvars.merge_contextvars,
        structlog.processors.add_log_level,
        structlog.processors.TimeStamper(fmt="iso", utc=True),
        structlog.processors.JSONRenderer(),
    ],
)
LOGGING = {
    "version": 1,
    "disable_existing_loggers": False,
    "formatters": {
        "json": {"()": structlog.stdlib.ProcessorFormatter, "processor": structlog.processors.JSONRenderer()},
    },
    "handlers": {"stderr": {"class": "logging.StreamHandler", "formatter": "json"}},
    "root": {"handlers": ["stderr"], "level": "WARNING"},
}
