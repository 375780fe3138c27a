"""The tables. Times are milliseconds since 1970 in UTC."""

from __future__ import annotations

from typing import ClassVar

from django.db import models
from django.db.models import Q

from hombi.service.records.sealing import SealedJSONField, SealedTextField


class Floor(models.Model):
    """A floor of the house, 0 the lowest."""

    name = models.CharField(max_length=80, unique=True)
    position = models.IntegerField()


class Room(models.Model):
    """A room, in its place on its floor."""

    slug = models.SlugField(max_length=60, unique=True)
    name = models.CharField(max_length=80)
    floor = models.ForeignKey(Floor, on_delete=models.PROTECT, related_name="rooms")
    position = models.IntegerField()


class Node(models.Model):
    """A node that is or was admitted; one that was removed with its history kept is
    still here."""

    address = models.SlugField(max_length=60)
    title = models.CharField(max_length=120)
    link = models.CharField(max_length=20)
    thing_id = models.CharField(max_length=200, unique=True)
    key_hash = models.CharField(max_length=64, blank=True)
    room = models.ForeignKey(Room, null=True, on_delete=models.PROTECT, related_name="nodes")
    admitted_ms = models.BigIntegerField()
    removed = models.BooleanField(default=False)
    reach = SealedJSONField(default=dict, members=("secret",))
    offer = models.JSONField(default=dict)

    class Meta:
        constraints: ClassVar = [
            models.UniqueConstraint(
                fields=["address"], condition=Q(removed=False), name="one_node_an_address"
            ),
        ]


class Entity(models.Model):
    """One value. `low` and `high` are in the kind's unit, `wire_unit` is what its node
    speaks, `channel` the number of the channel over which it is sent now.

    One that is computed from others has a `derivation`, and need not have a node.
    """

    node = models.ForeignKey(Node, null=True, on_delete=models.CASCADE, related_name="entities")
    room = models.ForeignKey(Room, null=True, on_delete=models.PROTECT, related_name="entities")
    name = models.SlugField(max_length=60)
    title = models.CharField(max_length=120)
    kind = models.CharField(max_length=20)
    wire_name = models.CharField(max_length=120, blank=True)
    wire_unit = models.CharField(max_length=40, blank=True)
    low = models.FloatField()
    high = models.FloatField()
    writable = models.BooleanField()
    hidden = models.BooleanField(default=False)
    source = models.JSONField(default=dict)
    sink = models.JSONField(default=dict)
    channel = models.SmallIntegerField(default=0)
    derivation = models.JSONField(default=dict)
    own = models.JSONField(default=dict)

    class Meta:
        constraints: ClassVar = [
            models.UniqueConstraint(fields=["node", "name"], name="one_entity_a_name"),
            models.CheckConstraint(condition=Q(low__lte=models.F("high")), name="limits_in_order"),
        ]


class Channel(models.Model):
    """What an entity is sent, or was: kind and unit, and since when. `number` counts
    from 0 within the entity."""

    entity = models.ForeignKey(Entity, on_delete=models.CASCADE, related_name="channels")
    number = models.SmallIntegerField()
    kind = models.CharField(max_length=20)
    unit = models.CharField(max_length=40, blank=True)
    since_ms = models.BigIntegerField()
    file = models.CharField(max_length=120, blank=True)

    class Meta:
        constraints: ClassVar = [
            models.UniqueConstraint(fields=["entity", "number"], name="one_channel_a_number"),
        ]


class Reading(models.Model):
    """One reading, with the sample it was made of: `sent` in the unit of its channel,
    `value` in that of its kind; NULL for no value.

    The table is WITHOUT ROWID (see the migration), so an entity's history lies together
    on disk.
    """

    pk = models.CompositePrimaryKey("entity_id", "at_ms")
    entity = models.ForeignKey(
        Entity, on_delete=models.DO_NOTHING, related_name="readings", db_index=False
    )
    at_ms = models.BigIntegerField()
    channel = models.SmallIntegerField()
    sent = models.FloatField(null=True)
    value = models.FloatField(null=True)
    quality = models.SmallIntegerField()


class Rollup(models.Model):
    """What the readings of a stretch of time came to, by channel. The table is WITHOUT
    ROWID."""

    pk = models.CompositePrimaryKey("entity_id", "width_ms", "start_ms", "channel")
    entity = models.ForeignKey(
        Entity, on_delete=models.DO_NOTHING, related_name="rollups", db_index=False
    )
    width_ms = models.BigIntegerField()
    start_ms = models.BigIntegerField()
    channel = models.SmallIntegerField()
    count = models.IntegerField()
    low = models.FloatField()
    mean = models.FloatField()
    high = models.FloatField()
    last = models.FloatField()
    held_ms = models.BigIntegerField()


class Stale(models.Model):
    """An hour of an entity whose past has changed: its rollups are made again. The
    table is WITHOUT ROWID."""

    pk = models.CompositePrimaryKey("entity_id", "start_ms")
    entity = models.ForeignKey(
        Entity, on_delete=models.DO_NOTHING, related_name="+", db_index=False
    )
    start_ms = models.BigIntegerField()


class Conditioning(models.Model):
    """How an entity's values are conditioned, and were: its plans, and since when each
    holds."""

    entity = models.OneToOneField(
        Entity, on_delete=models.CASCADE, primary_key=True, related_name="conditioning"
    )
    data = models.JSONField()


class Scene(models.Model):
    """States of several entities that are recalled together: by address, each in its
    kind's unit."""

    slug = models.CharField(max_length=80, primary_key=True)
    title = models.CharField(max_length=80)
    states = models.JSONField()


class Sequence(models.Model):
    """A list of actions that automations run, by its text."""

    slug = models.CharField(max_length=80, primary_key=True)
    text = models.TextField()


class AutomationText(models.Model):
    """A text that an automation had: since when, and who wrote it."""

    id = models.BigAutoField(primary_key=True)
    automation = models.CharField(max_length=80, db_index=True)
    at_ms = models.BigIntegerField()
    by = models.CharField(max_length=150)
    text = models.TextField()


class Dashboard(models.Model):
    """A page of tiles: a room's, or one of the person's own."""

    slug = models.CharField(max_length=80, primary_key=True)
    title = models.CharField(max_length=80)
    room = models.OneToOneField(Room, on_delete=models.CASCADE, null=True, related_name="dashboard")
    tiles = models.JSONField()


class Arrival(models.Model):
    """A node that asked to join."""

    id = models.CharField(max_length=16, primary_key=True)
    thing_id = models.CharField(max_length=200)
    title = models.CharField(max_length=120)
    offer = models.JSONField(default=dict)
    proof = models.CharField(max_length=64, blank=True)
    ticket_hash = models.CharField(max_length=64, blank=True)
    asked_ms = models.BigIntegerField()
    state = models.CharField(max_length=20)
    wrong_codes = models.IntegerField(default=0)
    node = models.CharField(max_length=60, blank=True)
    reach = models.JSONField(default=dict)
    asks = models.CharField(max_length=40, blank=True)
    link = models.CharField(max_length=12, default="wifi")
    sender = models.CharField(max_length=60, blank=True)


class MqttAccount(models.Model):
    """An account at the MQTT listener, with the topic filters it was given."""

    name = models.SlugField(max_length=60, primary_key=True)
    key_hash = models.CharField(max_length=64)
    publish = models.JSONField(default=list)
    subscribe = models.JSONField(default=list)
    added_ms = models.BigIntegerField()


class Automation(models.Model):
    """An automation's text, word for word, and where its state machine stands."""

    slug = models.SlugField(max_length=60, unique=True)
    text = models.TextField()
    enabled = models.BooleanField(default=True)
    state = models.JSONField(default=dict)


class JournalEntry(models.Model):
    """Something that happened."""

    at_ms = models.BigIntegerField(db_index=True)
    event = models.CharField(max_length=40)
    text = models.TextField()
    by = models.CharField(max_length=150, blank=True)
    node = models.CharField(max_length=60, blank=True)
    entity = models.CharField(max_length=130, blank=True)
    automation = models.CharField(max_length=60, blank=True, db_index=True)
    data = models.JSONField(default=dict)


class Phone(models.Model):
    """A way of reaching a person: a device that takes notifications, a mail address, an
    address that is posted to, a loudspeaker."""

    sort = models.CharField(max_length=12, default="phone")
    name = models.CharField(max_length=80)
    person = models.CharField(max_length=150)
    endpoint = models.TextField()
    p256dh = models.CharField(max_length=120)
    auth = SealedTextField()
    form = models.TextField(blank=True, default="")
    added_ms = models.BigIntegerField()


class Notice(models.Model):
    """What the household is told. `identity` is what push services and phones know it
    by, `subject` what it is about."""

    identity = models.CharField(max_length=32, blank=True)
    title = models.TextField()
    text = models.TextField()
    path = models.CharField(max_length=200)
    created_ms = models.BigIntegerField()
    subject = models.CharField(max_length=200, blank=True, default="")
    urgent = models.BooleanField(default=False)
    quiet = models.BooleanField(default=False)
    buttons = models.JSONField(default=list)
    picture = models.TextField(blank=True, default="")


class Delivery(models.Model):
    """A notice on its way to one phone; it is listed under the phone's name also when
    that is gone."""

    notice = models.ForeignKey(Notice, on_delete=models.CASCADE, related_name="deliveries")
    phone = models.ForeignKey(
        Phone, null=True, on_delete=models.SET_NULL, related_name="deliveries"
    )
    phone_name = models.CharField(max_length=80, blank=True)
    state = models.CharField(max_length=12, default="waiting")
    attempts = models.IntegerField(default=0)
    next_ms = models.BigIntegerField(default=0)
    problem = models.TextField(blank=True)
    person = models.CharField(max_length=150, blank=True, default="")
    pressed = models.JSONField(default=list)
    settled_ms = models.BigIntegerField(default=0)

    class Meta:
        indexes: ClassVar = [models.Index(fields=["state"], name="deliveries_by_state")]


class LinkState(models.Model):
    """What a link keeps over a restart, like the MQTT session of a node that sleeps."""

    key = models.CharField(max_length=300, primary_key=True)
    state = SealedJSONField(members=("key",))


class HubKey(models.Model):
    """A key of the hub's own, by name."""

    name = models.CharField(max_length=40, primary_key=True)
    value = SealedTextField()
