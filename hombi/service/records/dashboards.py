"""The ports of dashboards, scenes and sequences on the ORM."""

from __future__ import annotations

from hombi.hub.acting.scenes_port import SceneRecord
from hombi.hub.rooms.dashboards_port import DashboardRecord
from hombi.service.records import models as m


class DatabaseDashboards:
    """`hombi.hub.rooms.dashboards_port.DashboardsPort`."""

    def all(self) -> list[DashboardRecord]:
        rows = m.Dashboard.objects.order_by("title", "slug")
        return [
            DashboardRecord(slug, title, room or "", tiles)
            for slug, title, room, tiles in rows.values_list("slug", "title", "room__slug", "tiles")
        ]

    def save(self, record: DashboardRecord) -> None:
        room = m.Room.objects.filter(slug=record.room).first() if record.room else None
        if record.room and room is None:
            return  # the room was removed meanwhile
        values = {"title": record.title, "room": room, "tiles": record.tiles}
        m.Dashboard.objects.update_or_create(slug=record.slug, defaults=values)

    def remove(self, slug: str) -> None:
        m.Dashboard.objects.filter(slug=slug).delete()


class DatabaseScenes:
    """`hombi.hub.acting.scenes_port.ScenesPort`."""

    def all(self) -> list[SceneRecord]:
        rows = m.Scene.objects.order_by("title", "slug")
        return [SceneRecord(*row) for row in rows.values_list("slug", "title", "states")]

    def save(self, record: SceneRecord) -> None:
        values = {"title": record.title, "states": record.states}
        m.Scene.objects.update_or_create(slug=record.slug, defaults=values)

    def remove(self, slug: str) -> None:
        m.Scene.objects.filter(slug=slug).delete()


class DatabaseSequences:
    """`hombi.hub.automations.sequences_port.SequencesPort`."""

    def all(self) -> dict[str, str]:
        return dict(m.Sequence.objects.order_by("slug").values_list("slug", "text"))

    def save(self, slug: str, text: str) -> None:
        m.Sequence.objects.update_or_create(slug=slug, defaults={"text": text})

    def remove(self, slug: str) -> None:
        m.Sequence.objects.filter(slug=slug).delete()
