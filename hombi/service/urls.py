"""All addresses, in one list."""

from __future__ import annotations

from django.contrib.staticfiles.views import serve
from django.urls import path, re_path
from drf_spectacular.views import SpectacularAPIView, SpectacularSwaggerSplitView
from rest_framework.permissions import AllowAny

from hombi.service.api import (
    accounts,
    automations,
    calibration,
    conditioning,
    dashboards,
    derived,
    entities,
    house,
    importing,
    journal,
    looking_back,
    messages,
    nodes,
    pairing,
    phones,
    review,
    tools,
    zigbee,
)
from hombi.service.api.export import export
from hombi.service.api.live import live
from hombi.service.console import console

handler400 = "hombi.service.api.problems.bad_request"
handler403 = "hombi.service.api.problems.forbidden"
handler404 = "hombi.service.api.problems.not_found"
handler500 = "hombi.service.api.problems.unforeseen"

urlpatterns = [
    path("api/health", house.HealthView.as_view()),
    path("api/claim", accounts.ClaimView.as_view()),
    path("api/claim/code", accounts.ClaimCodeView.as_view()),
    path("api/session", accounts.SessionView.as_view()),
    path("api/tokens", accounts.TokensView.as_view()),
    path("api/tokens/<int:token>", accounts.KnownTokenView.as_view()),
    path("api/house", house.HouseView.as_view()),
    path("api/floors", house.FloorsView.as_view()),
    path("api/floors/<str:floor>", house.FloorView.as_view()),
    path("api/rooms", house.RoomsView.as_view()),
    path("api/rooms/<str:room>", house.RoomView.as_view()),
    path("api/nodes", nodes.NodesView.as_view()),
    path("api/nodes/<str:node>", nodes.NodeView.as_view()),
    path("api/nodes/<str:node>/again", nodes.NodeAgainView.as_view()),
    path("api/nodes/<str:node>/secret", nodes.SecretView.as_view()),
    path("api/nodes/<str:node>/key", nodes.KeyView.as_view()),
    path("api/nodes/<str:node>/entities", nodes.NodeEntitiesView.as_view()),
    path("api/nodes/<str:node>/settings", nodes.SettingsView.as_view()),
    path("api/nodes/<str:node>/settings/<str:setting>", nodes.SettingView.as_view()),
    path("api/nodes/<str:node>/profile", zigbee.NodeProfileView.as_view()),
    path("api/nodes/<str:node>/actions/<str:action>", nodes.ActionView.as_view()),
    path("api/setup-code", nodes.SetupCodeView.as_view()),
    path("api/kinds", messages.KindsView.as_view()),
    path("api/messages", messages.MessagesView.as_view()),
    path("api/messages/live", messages.live_messages),
    path("api/messages/<int:number>", messages.MessageView.as_view()),
    path("api/picks", messages.PicksView.as_view()),
    path("api/picks/preview", messages.PreviewView.as_view()),
    path("api/tools", tools.ToolsView.as_view()),
    path("api/tools/<slug:tool>", tools.ToolView.as_view()),
    path("api/tools/<slug:tool>/key", tools.ToolKeyView.as_view()),
    path("api/zigbee", zigbee.ZigbeeView.as_view()),
    path("api/zigbee/network", zigbee.ZigbeeNetworkView.as_view()),
    path("api/doctor", tools.DoctorView.as_view()),
    path("api/dashboards", dashboards.DashboardsView.as_view()),
    path("api/dashboards/<str:dashboard>", dashboards.DashboardView.as_view()),
    path("api/dashboards/<str:dashboard>/pictures/<int:tile>", dashboards.PictureView.as_view()),
    path("api/review", review.ReviewView.as_view()),
    path("api/review/table", review.ReviewTableView.as_view()),
    path("api/courses", entities.CoursesView.as_view()),
    path("api/entities", entities.EntitiesView.as_view()),
    path("api/entities/<str:name>", entities.NamedEntityView.as_view()),
    path("api/entities/<str:node>/<str:name>", entities.EntityView.as_view()),
    path(
        "api/entities/<str:node>/<str:name>/conditioning", conditioning.ConditioningView.as_view()
    ),
    path("api/entities/<str:node>/<str:name>/conditioning/try", conditioning.TryView.as_view()),
    path("api/entities/<str:node>/<str:name>/compare", calibration.CompareView.as_view()),
    path("api/entities/<str:node>/<str:name>/calibration", calibration.CalibrationView.as_view()),
    path("api/entities/<str:node>/<str:name>/imports", importing.ImportsView.as_view()),
    path("api/entities/<str:node>/<str:name>/imports/<int:number>", importing.ImportView.as_view()),
    path("api/steps", conditioning.StepsView.as_view()),
    path("api/methods", derived.MethodsView.as_view()),
    path("api/derived", derived.DerivedView.as_view()),
    path("api/entities/<str:node>/<str:name>/export", export),
    path("api/entities/<str:node>/<str:name>/doubts", entities.DoubtsView.as_view()),
    path("api/entities/<str:node>/<str:name>/numbers", entities.NumbersView.as_view()),
    path("api/entities/<str:node>/<str:name>/history", entities.HistoryView.as_view()),
    path("api/entities/<str:node>/<str:name>/stretches", entities.StretchesView.as_view()),
    path("api/entities/<str:node>/<str:name>/rows", entities.RowsView.as_view()),
    path("api/entities/<str:node>/<str:name>/readings", entities.ReadingsView.as_view()),
    path("api/entities/<str:node>/<str:name>/command", entities.CommandView.as_view()),
    path("api/pairing", pairing.PairingView.as_view()),
    path("api/arrivals", pairing.ArrivalsView.as_view()),
    path("api/arrivals/look", pairing.LookView.as_view()),
    path("api/arrivals/<slug:arrival>", pairing.ArrivalView.as_view()),
    path("api/arrivals/<slug:arrival>/outcome", pairing.OutcomeView.as_view()),
    path("api/arrivals/<slug:arrival>/again", pairing.AgainView.as_view()),
    path("api/arrivals/<slug:arrival>/admit", pairing.AdmitView.as_view()),
    path("api/intake", pairing.IntakeView.as_view()),
    path("api/intake/<slug:node>/<slug:name>", pairing.ValueView.as_view()),
    path("api/automations", automations.AutomationsView.as_view()),
    path("api/automations/check", automations.CheckView.as_view()),
    path("api/automations/write", automations.WriteView.as_view()),
    path("api/automations/edit", automations.EditView.as_view()),
    path("api/automations/replay", looking_back.ReplayView.as_view()),
    path("api/automations/<str:automation>/why", looking_back.AccountView.as_view()),
    path("api/automations/<str:automation>", automations.AutomationView.as_view()),
    path("api/journal", journal.JournalView.as_view()),
    path("api/journal/events", journal.JournalEventsView.as_view()),
    path("api/phones", phones.PhonesView.as_view()),
    path("api/phones/key", phones.PushKeyView.as_view()),
    path("api/phones/<int:phone>", phones.PhoneView.as_view()),
    path("api/phones/<int:phone>/test", phones.PhoneTestView.as_view()),
    path("api/notices", phones.NoticesView.as_view()),
    path("api/live", live),
    path("api/schema", SpectacularAPIView.as_view(permission_classes=[AllowAny]), name="schema"),
    path(
        "api/docs",
        SpectacularSwaggerSplitView.as_view(url_name="schema", permission_classes=[AllowAny]),
    ),
    # The page that shows the schema is served from the package that brings it, without
    # a collecting step.
    re_path(r"^static/(?P<path>drf_spectacular_sidecar/.*)$", serve, {"insecure": True}),
    re_path(r"^(?P<path>.*)$", console),
]
