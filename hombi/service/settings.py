"""Django's settings. They come from the data folder (`HOMBI_DATA`); what a person sets
is in `hombi.toml`."""

from __future__ import annotations

import os
from pathlib import Path

from hombi import __version__
from hombi.service.data_folder import DATABASE, NEWEST, read_secret

DATA = Path(os.environ["HOMBI_DATA"])
HERE = Path(__file__).resolve().parent


SECRET_KEY = read_secret(DATA)
DEBUG = False
# Foreign names are refused before Django is asked (names.py): those that are right are
# learnt while the hub runs.
ALLOWED_HOSTS = ["*"]
ROOT_URLCONF = "hombi.service.urls"
ASGI_APPLICATION = "hombi.service.asgi.application"
INSTALLED_APPS = [
    "django.contrib.contenttypes",
    "django.contrib.auth",
    "django.contrib.sessions",
    "django.contrib.staticfiles",
    "rest_framework",
    "drf_spectacular",
    "drf_spectacular_sidecar",
    "hombi.service.records.newest",
    "hombi.service.records",
    "hombi.service.accounts",
]
MIDDLEWARE = [
    "hombi.service.middleware.policy",
    "django.middleware.gzip.GZipMiddleware",
    "django.contrib.sessions.middleware.SessionMiddleware",
    "django.middleware.common.CommonMiddleware",
    "django.middleware.csrf.CsrfViewMiddleware",
    "django.contrib.auth.middleware.AuthenticationMiddleware",
    # Behind who asks: what was answered to somebody is not answered to a stranger.
    "hombi.service.once.once",
]
TEMPLATES = [{"BACKEND": "django.template.backends.django.DjangoTemplates", "APP_DIRS": True}]
DATABASES = {
    "default": {
        "ENGINE": "django.db.backends.sqlite3",
        "NAME": DATA / DATABASE,
        "OPTIONS": {
            "transaction_mode": "IMMEDIATE",
            "timeout": 10,
            # FULL: what was acknowledged survives a power cut, not only a crash.
            "init_command": "PRAGMA journal_mode=WAL; PRAGMA "
            "synchronous=FULL; PRAGMA foreign_keys=ON; "
            "PRAGMA temp_store=MEMORY;",
        },
    },
    "newest": {
        "ENGINE": "django.db.backends.sqlite3",
        "NAME": DATA / NEWEST,
        "OPTIONS": {
            "transaction_mode": "IMMEDIATE",
            "timeout": 10,
            # To commit one reading writes a page of its log: the smallest there is.
            "init_command": "PRAGMA page_size=512; PRAGMA journal_mode=WAL; PRAGMA "
            "synchronous=FULL; PRAGMA temp_store=MEMORY;",
        },
    },
}
DEFAULT_AUTO_FIELD = "django.db.models.BigAutoField"
AUTH_PASSWORD_VALIDATORS = [
    {
        "NAME": "django.contrib.auth.password_validation.MinimumLengthValidator",
        "OPTIONS": {"min_length": 10},
    },
    {"NAME": "hombi.service.accounts.passwords.NotACommonOne"},
]
# Scrypt is as hard to guess against and costs a small machine a tenth of what Django's
# default does.
PASSWORD_HASHERS = [
    "django.contrib.auth.hashers.ScryptPasswordHasher",
    "django.contrib.auth.hashers.PBKDF2PasswordHasher",
]
USE_TZ = True
TIME_ZONE = "UTC"
APPEND_SLASH = False
STATIC_URL = "/static/"
SESSION_ENGINE = "hombi.service.accounts.sessions"
SESSION_COOKIE_AGE = 90 * 86_400
SESSION_COOKIE_SAMESITE = "Lax"
CSRF_COOKIE_SAMESITE = "Lax"
CSRF_FAILURE_VIEW = "hombi.service.api.problems.forged"
# What `check --deploy` warns of, and why it is so here.
SILENCED_SYSTEM_CHECKS = [
    # Our own middleware sets what Django's would: content type, referrer, HSTS.
    "security.W001",
    # The content policy says `frame-ancestors 'none'`.
    "security.W002",
    # DRF's own check guards sessions; every change goes through DRF.
    "security.W003",
    # Cookies are marked Secure on each answer over HTTPS (middleware.py).
    "security.W012",
    "security.W016",  # as for W012
]
DATA_UPLOAD_MAX_MEMORY_SIZE = 8 * 1024 * 1024
REST_FRAMEWORK = {
    "DEFAULT_RENDERER_CLASSES": ["hombi.service.api.rendering.WireJson"],
    "DEFAULT_PARSER_CLASSES": ["hombi.service.api.parsing.JsonBody"],
    "DEFAULT_AUTHENTICATION_CLASSES": [
        "hombi.service.accounts.authentication.TokenAuthentication",
        "hombi.service.accounts.authentication.PersonAuthentication",
    ],
    "DEFAULT_PERMISSION_CLASSES": ["rest_framework.permissions.IsAuthenticated"],
    "DEFAULT_SCHEMA_CLASS": "hombi.service.api.wire_schema.WireSchema",
    "EXCEPTION_HANDLER": "hombi.service.api.problems.handle",
    "STRICT_JSON": True,
    "DEFAULT_THROTTLE_RATES": {"sign-in": "10/min", "arrivals": "60/min", "press": "30/min"},
}
SPECTACULAR_SETTINGS = {
    "TITLE": "Hombi",
    "DESCRIPTION": "The hub's API. Times are milliseconds since 1970 "
    "unless a field says otherwise; "
    "errors are problem details (RFC 9457).",
    "VERSION": __version__,
    "SERVE_INCLUDE_SCHEMA": False,
    "SWAGGER_UI_DIST": "SIDECAR",
    "SWAGGER_UI_FAVICON_HREF": "SIDECAR",
    "COMPONENT_SPLIT_REQUEST": False,
    "SCHEMA_PATH_PREFIX": "/api",
    "OAS_VERSION": "3.1.0",
    "POSTPROCESSING_HOOKS": [
        "hombi.service.api.description.add_wire",
    ],
}
LOGGING = {
    "version": 1,
    "disable_existing_loggers": False,
    "formatters": {
        "plain": {
            "()": "hombi.service.logs.OneLine",
            "format": "{asctime} {levelname} {name}: {message}",
            "style": "{",
        }
    },
    "handlers": {"stderr": {"class": "logging.StreamHandler", "formatter": "plain"}},
    "root": {"handlers": ["stderr"], "level": "WARNING"},
    # What a caller did wrong is the caller's to read, not the log's.
    "loggers": {"django.request": {"level": "ERROR"}, "django.security": {"level": "ERROR"}},
}
