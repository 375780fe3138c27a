"""The description of the API, to be read by programs and by people."""

from __future__ import annotations

from drf_spectacular.views import SpectacularAPIView, SpectacularSwaggerSplitView
from rest_framework.permissions import AllowAny

schema = SpectacularAPIView.as_view(permission_classes=[AllowAny])
page = SpectacularSwaggerSplitView.as_view(url_name="schema", permission_classes=[AllowAny])
