"""Notices: telling the household in the ways in which each is reached, and going on
trying until a notice is there or is of no use any more."""

from hombi.hub.notices.buttons import Buttons
from hombi.hub.notices.kept import Kept
from hombi.hub.notices.mail import Mail, MailSettings
from hombi.hub.notices.outbox import Outbox, RemovePhone, Told, address_of
from hombi.hub.notices.pictures import Pictures
from hombi.hub.notices.post import Post
from hombi.hub.notices.push import Push, WebPush, fresh_vapid_key
from hombi.hub.notices.quiet import QuietHours
from hombi.hub.notices.sending import Fate, Send, Sent
from hombi.hub.notices.voice import Voice
from hombi.hub.notices.ways import AddPhone, PressButton, SetQuietHours, TryPhone, Ways

__all__ = [
    "AddPhone",
    "Buttons",
    "Fate",
    "Kept",
    "Mail",
    "MailSettings",
    "Outbox",
    "Pictures",
    "Post",
    "PressButton",
    "Push",
    "QuietHours",
    "RemovePhone",
    "Send",
    "Sent",
    "SetQuietHours",
    "Told",
    "TryPhone",
    "Voice",
    "Ways",
    "WebPush",
    "address_of",
    "fresh_vapid_key",
]
