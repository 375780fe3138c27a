"""Notices: telling the household's phones, and going on trying until a phone has it or
is gone."""

from hombi.hub.notices.outbox import AddPhone, Outbox, RemovePhone, TryPhone
from hombi.hub.notices.push import Push, PushResult, WebPush, fresh_vapid_key

__all__ = [
    "AddPhone",
    "Outbox",
    "Push",
    "PushResult",
    "RemovePhone",
    "TryPhone",
    "WebPush",
    "fresh_vapid_key",
]
