"""The app."""

from django.apps import AppConfig


class RecordsConfig(AppConfig):
    """Records of the hub."""

    name = "hombi.service.records"
    label = "records"
