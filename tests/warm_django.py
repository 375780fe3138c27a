"""Django set up once, in the server that tests fork their hubs from, with a database
that is up to date. A fork sets Django up for its own data folder, and begins with a
copy of that database when it has none: a start takes 0.4 s instead of 2 s."""

from __future__ import annotations

import atexit
import os
import shutil
import tempfile
import time
from pathlib import Path

import django
from django.conf import settings
from django.db import connections
from django.utils.log import configure_logging

from hombi.service.data_folder import DATABASE, NEWEST, prepare, read_secret

_TEMPLATE = Path(tempfile.mkdtemp(prefix="hombi-template-"))
_SERVER = os.getpid()


def _build() -> None:
    """Set Django up on the template, and bring its databases up to date."""
    prepare(_TEMPLATE)
    before = dict(os.environ)
    os.environ |= {"HOMBI_DATA": str(_TEMPLATE), "DJANGO_SETTINGS_MODULE": "hombi.service.settings"}
    django.setup()
    from hombi.service import asgi, salvage, updating  # noqa: F401 - after setup
    from hombi.service.urls import urlpatterns  # noqa: F401 - after setup

    updating.bring_up_to_date(new_secrets=False)
    connections.close_all()
    os.environ.clear()
    os.environ.update(before)
    time.tzset()


def _set_up(set_prefix: bool = True) -> None:
    """What `django.setup` does in a fork: settings of the data folder, a database."""
    data = Path(os.environ["HOMBI_DATA"])
    settings.DATA = data
    settings.SECRET_KEY = read_secret(data)
    for name, file in (("default", DATABASE), ("newest", NEWEST)):
        settings.DATABASES[name]["NAME"] = data / file
        connections.settings[name]["NAME"] = data / file
    os.environ["TZ"] = settings.TIME_ZONE
    time.tzset()
    configure_logging(settings.LOGGING_CONFIG, settings.LOGGING)
    if not (data / DATABASE).exists() and not (data / NEWEST).exists():
        shutil.copy(_TEMPLATE / DATABASE, data / DATABASE)


def _tidy() -> None:
    if os.getpid() == _SERVER:
        shutil.rmtree(_TEMPLATE, ignore_errors=True)


_build()
django.setup = _set_up
atexit.register(_tidy)
