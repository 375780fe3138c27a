"""The description of the API, to be read by programs and by people."""

from __future__ import annotations

from functools import cache
from threading import Lock
from typing import Any

from django.http import HttpResponse
from drf_spectacular.generators import SchemaGenerator
from drf_spectacular.renderers import OpenApiJsonRenderer, OpenApiYamlRenderer
from drf_spectacular.views import SpectacularAPIView, SpectacularSwaggerSplitView
from rest_framework.permissions import AllowAny
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from hombi.service.api.rendering import WireJson

_ONE = Lock()
_FORMS = {"json": OpenApiJsonRenderer, "yaml": OpenApiYamlRenderer}


class _Problems(APIView):
    """What is asked wrongly is answered as everywhere, not as the description is."""

    permission_classes = (AllowAny,)

    def handle_exception(self, exc: Exception) -> Response:
        """What went wrong, as problem details."""
        self.request.accepted_renderer = WireJson()
        self.request.accepted_media_type = WireJson.media_type
        return super().handle_exception(exc)


class DescriptionView(_Problems, SpectacularAPIView):
    """Made once in each form: it stays the same while the hub runs, and anybody may ask
    for it, as often as they like."""

    def get(self, request: Request, *_: Any, **__: Any) -> HttpResponse:
        """The description, in the form that is wanted."""
        form: Any = request.accepted_renderer
        with _ONE:
            text = _rendered(form.format)
        charset = f"; charset={form.charset}" if form.charset else ""
        file = f'inline; filename="hombi.{form.format}"'
        return HttpResponse(
            text,
            content_type=f"{form.media_type}{charset}",
            headers={"Content-Disposition": file},
        )


@cache
def _rendered(form: str) -> str | bytes:
    described = SchemaGenerator().get_schema(public=True)  # type: ignore[no-untyped-call]
    made: str | bytes = _FORMS[form]().render(described, renderer_context={})
    return made


class PageView(_Problems, SpectacularSwaggerSplitView):
    """The description as a page."""


schema = DescriptionView.as_view()
page = PageView.as_view(url_name="schema")
