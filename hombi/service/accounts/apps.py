"""The app."""

from django.apps import AppConfig


class AccountsConfig(AppConfig):
    """Accounts and tokens."""

    name = "hombi.service.accounts"
    label = "accounts"
