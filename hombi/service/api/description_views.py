"""The description of the API, to be read by programs and by people."""

from __future__ import annotations

from functools import cache
from threading import Lock
from typing import Any

from django.http import HttpResponse
from drf_spectacular.renderers import OpenApiJsonRenderer, OpenApiYamlRenderer
from drf_spectacular.views import SpectacularAPIView, SpectacularSwaggerSplitView
from rest_framework.permissions import AllowAny
from rest_framework.request import Request

from hombi.service.api.description import Generator

_ONE = Lock()
_FORMS = {"json": OpenApiJsonRenderer, "yaml": OpenApiYamlRenderer}


class DescriptionView(SpectacularAPIView):
    """Made once in each form: it stays the same while the hub runs, and anybody may ask
    for it, as often as they like."""

    permission_classes = (AllowAny,)

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
    described = Generator().get_schema(public=True)  # type: ignore[no-untyped-call]
    made: str | bytes = _FORMS[form]().render(described, renderer_context={})
    return made


schema = DescriptionView.as_view()
page = SpectacularSwaggerSplitView.as_view(url_name="schema", permission_classes=[AllowAny])
