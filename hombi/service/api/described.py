"""Where the API is described: the library that does it is loaded when somebody asks."""

from __future__ import annotations

from importlib import import_module

from django.http import HttpRequest
from django.http.response import HttpResponseBase
from django.views.decorators.csrf import csrf_exempt


@csrf_exempt
def described(request: HttpRequest, by: str) -> HttpResponseBase:
    """The description of the API, as its "schema" or as a "page"."""
    view = getattr(import_module("hombi.service.api.description_views"), by)
    answer: HttpResponseBase = view(request)
    return answer
