"""Settings. What differs between machines comes from the environment; the launcher sets it."""

import os
from pathlib import Path
from typing import Any

import dj_database_url

from expression import limits

BASE_DIR = Path(__file__).resolve().parent.parent

KNOWN_SECRET = "only-for-checks-and-tests"
"""Nothing is served with it: see `config/wsgi.py`."""
SECRET_KEY = os.environ.get("LULL_SECRET_KEY") or KNOWN_SECRET
PRODUCTION = os.environ.get("LULL_PRODUCTION") == "1"
"""Served to others, behind a proxy that speaks HTTPS: see docs/running.md."""
METRICS_TOKEN = os.environ.get("LULL_METRICS_TOKEN", "")
DEBUG = os.environ.get("LULL_DEBUG") == "1"
ALLOWED_HOSTS = os.environ.get("LULL_HOSTS", "127.0.0.1,localhost,[::1]").split(",")
CSRF_TRUSTED_ORIGINS = [origin for origin in os.environ.get("LULL_ORIGINS", "").split(",") if origin]

INSTALLED_APPS = [
    "django.contrib.auth",
    "django.contrib.contenttypes",
    "django.contrib.sessions",
    "django.contrib.staticfiles",
    "procrastinate.contrib.django",
    "studio",
]
ADMIN = os.environ.get("LULL_ADMIN", "").strip("/")
"""Where Django's admin is, below the address of Lull; absent: nowhere."""
MIDDLEWARE = [
    "studio.watch.Watched",
    "studio.watch.Guarded",
    "studio.error_responses.PlainAnswers",
    "django.middleware.security.SecurityMiddleware",
    "django.middleware.common.CommonMiddleware",
    "whitenoise.middleware.WhiteNoiseMiddleware",
    "studio.cookies.PlainCookies",
    "django.contrib.sessions.middleware.SessionMiddleware",
    "studio.session_cache.SessionCache",
    "studio.error_responses.UploadsOfPlayers",
    "django.middleware.csrf.CsrfViewMiddleware",
    "django.middleware.clickjacking.XFrameOptionsMiddleware",
]
if ADMIN:
    INSTALLED_APPS += ["django.contrib.messages", "django.contrib.admin"]
    MIDDLEWARE += [
        "django.contrib.auth.middleware.AuthenticationMiddleware",
        "django.contrib.messages.middleware.MessageMiddleware",
    ]
    WHITENOISE_USE_FINDERS = True
    TEMPLATES = [
        {
            "BACKEND": "django.template.backends.django.DjangoTemplates",
            "APP_DIRS": True,
            "OPTIONS": {
                "context_processors": [
                    "django.template.context_processors.request",
                    "django.contrib.auth.context_processors.auth",
                    "django.contrib.messages.context_processors.messages",
                ]
            },
        }
    ]
APPEND_SLASH = False
ROOT_URLCONF = "config.urls"
WSGI_APPLICATION = "config.wsgi.application"

DATABASES = {
    "default": dj_database_url.parse(
        os.environ.get("DATABASE_URL") or "postgres://lull@127.0.0.1/lull", conn_max_age=600, conn_health_checks=True
    )
}
if PRODUCTION:
    # No question to the database takes longer than any answer is waited for.
    DATABASES["default"].setdefault("OPTIONS", {})["options"] = "-c statement_timeout=30000"
DEFAULT_AUTO_FIELD = "django.db.models.BigAutoField"
AUTH_PASSWORD_VALIDATORS = [
    {"NAME": "django.contrib.auth.password_validation.MinimumLengthValidator"},
    {"NAME": "django.contrib.auth.password_validation.CommonPasswordValidator"},
]
LOGIN_URL = "/sign-in"
PASSWORD_RESET_TIMEOUT = 12 * 60 * 60
"""Seconds within which a link signs in."""

# Mail goes by Django's settings: to a server of LULL_MAIL_HOST; on a machine of one's own, where there is none, it is
# printed by the worker.
EMAIL_HOST = os.environ.get("LULL_MAIL_HOST", "")
EMAIL_PORT = int(os.environ.get("LULL_MAIL_PORT", "587"))
EMAIL_HOST_USER = os.environ.get("LULL_MAIL_USER", "")
EMAIL_HOST_PASSWORD = os.environ.get("LULL_MAIL_PASSWORD", "")
EMAIL_USE_SSL = os.environ.get("LULL_MAIL_TLS") == "from the start"
EMAIL_USE_TLS = not EMAIL_USE_SSL and os.environ.get("LULL_MAIL_TLS") != "none"
EMAIL_TIMEOUT = 20
EMAIL_BACKEND = f"django.core.mail.backends.{'smtp' if EMAIL_HOST else 'console'}.EmailBackend"
DEFAULT_FROM_EMAIL = os.environ.get("LULL_MAIL_FROM") or f"lull@{ALLOWED_HOSTS[0]}"
CAN_MAIL = bool(EMAIL_HOST) or not PRODUCTION

USE_TZ = True
TIME_ZONE = "UTC"
LANGUAGE_CODE = "en-gb"

# Vite's build is served as it is; its file names carry a hash of what they hold.
STATIC_URL = "/static/"
STATIC_ROOT = BASE_DIR / "web" / "dist"
WHITENOISE_IMMUTABLE_FILE_TEST = r"^.*/assets/.+-[\w-]{8}\.\w+$"

SPOOL = Path(os.environ.get("LULL_SPOOL") or BASE_DIR / ".lull" / "spool")
"""Where files wait for a worker, and archives for their players: a folder of this machine, unless there is a bucket."""
FILES = Path(os.environ.get("LULL_FILES") or BASE_DIR / ".lull" / "files")
"""Where sounds and SoundFonts are kept: a folder of this machine, unless there is a bucket."""
BUCKET = os.environ.get("LULL_S3_BUCKET", "")
"""Where several machines share both: a bucket that speaks S3; its keys are found as boto3 finds them."""
STORAGES: dict[str, dict[str, Any]] = {
    "default": {"BACKEND": "django.core.files.storage.FileSystemStorage"},
    "staticfiles": {"BACKEND": "django.contrib.staticfiles.storage.StaticFilesStorage"},
    "spool": {"BACKEND": "studio.services.places.Folder", "OPTIONS": {"setting": "SPOOL", "below": "jobs"}},
    "files": {"BACKEND": "studio.services.places.Folder", "OPTIONS": {"setting": "FILES"}},
}
if BUCKET:
    shared = {
        "bucket_name": BUCKET,
        "endpoint_url": os.environ.get("LULL_S3_ENDPOINT") or None,
        "region_name": os.environ.get("LULL_S3_REGION") or None,
        "default_acl": None,
        "file_overwrite": True,
    }
    for name in ("spool", "files"):
        STORAGES[name] = {"BACKEND": "storages.backends.s3.S3Storage", "OPTIONS": {**shared, "location": name}}
MOST_UPLOAD_BYTES = limits.MOST_FILE_BYTES
MOST_SOUND_BYTES = limits.MOST_SOUND_BYTES
MOST_BYTES_UNDER_WAY = limits.MOST_BYTES_UNDER_WAY
"""Of all files together that are being sent to a process at a time."""
MOST_SHAPED_BYTES = limits.MOST_SHAPED_BYTES // max(int(os.environ.get("LULL_PROCESSES", "1")), 1)
"""Of shaped takes that this process keeps: all of them share what there is."""
FILE_UPLOAD_HANDLERS = ["studio.uploads.BoundedUpload"]
FILE_UPLOAD_TEMP_DIR = SPOOL
DATA_UPLOAD_MAX_MEMORY_SIZE = limits.MOST_CALL_BYTES

SECURE_CONTENT_TYPE_NOSNIFF = True
SECURE_REFERRER_POLICY = "same-origin"
SESSION_COOKIE_AGE = 60 * 60 * 24 * 30
CSRF_FAILURE_VIEW = "studio.error_responses.no_token"
SESSION_COOKIE_SECURE = CSRF_COOKIE_SECURE = SECURE_SSL_REDIRECT = PRODUCTION
# The server in front of the application (waitress) says by itself whether a proxy that is trusted was asked by HTTPS.
SECURE_HSTS_SECONDS = 365 * 24 * 60 * 60 if PRODUCTION else 0
SECURE_HSTS_INCLUDE_SUBDOMAINS = SECURE_HSTS_PRELOAD = PRODUCTION
X_FRAME_OPTIONS = "DENY"
if PRODUCTION:
    CSRF_TRUSTED_ORIGINS += [f"https://{host}" for host in ALLOWED_HOSTS]

LOGGING = {
    "version": 1,
    "disable_existing_loggers": False,
    "formatters": {"timed": {"format": "{asctime} {levelname} {name} {message}", "style": "{"}},
    "filters": {"not away": {"()": "config.logs.NotAway"}},
    "handlers": {"console": {"class": "logging.StreamHandler", **({"formatter": "timed"} if PRODUCTION else {})}},
    "root": {"handlers": ["console"], "level": "WARNING"},
    # That a browser leaves before its answer has come is nothing to write down.
    # What was refused is a line of "lull.requests"; of a database that is away, the worker tells in one line.
    "loggers": {
        "waitress": {"level": "ERROR"},
        "django.request": {"level": "ERROR", "filters": ["not away"]},
        "django.security.DisallowedHost": {"level": "CRITICAL"},
        "procrastinate": {"level": "CRITICAL"},
        "psycopg.pool": {"level": "CRITICAL"},
        "lull.requests": {"level": "INFO" if PRODUCTION else "WARNING"},
    },
}
