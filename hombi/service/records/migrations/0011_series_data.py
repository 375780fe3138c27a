"""What was stored before, in its new places.

A retired entity was what had a name before, and was of another kind: its readings are an
older channel of the entity of today. A quality of 24 ("no value") had stood with zeros.
"""

from django.db import migrations

from hombi.links.thing_description import DescriptionError, read_description

_MOVED = """
    INSERT OR IGNORE INTO records_reading_new
    SELECT {entity}, at_ms, {channel},
           CASE quality WHEN 24 THEN NULL ELSE raw END,
           CASE quality WHEN 24 THEN NULL ELSE value END,
           quality
    FROM records_reading WHERE entity_id = {before} ORDER BY at_ms
"""
_NEW = """
    CREATE TABLE records_reading_new (
        entity_id bigint NOT NULL REFERENCES records_entity (id) DEFERRABLE INITIALLY DEFERRED,
        at_ms bigint NOT NULL,
        channel smallint NOT NULL,
        sent real NULL,
        value real NULL,
        quality smallint NOT NULL,
        PRIMARY KEY (entity_id, at_ms)
    ) WITHOUT ROWID
"""


def readings(apps, schema_editor):
    Entity, Channel = apps.get_model('records', 'Entity'), apps.get_model('records', 'Channel')
    schema_editor.execute(_NEW)
    live = {(e.node_id, e.name): e for e in Entity.objects.filter(retired=False)}
    since = dict(apps.get_model('records', 'Node').objects.values_list('pk', 'admitted_ms'))
    count = {}
    for entity in Entity.objects.order_by('-retired', 'pk'):
        now = live.get((entity.node_id, entity.name), entity)
        number = count[now.pk] = count.get(now.pk, -1) + 1
        # Its latest channel is the one of today.
        began = since.get(entity.node_id, 0) + (0 if entity.retired else number)
        Channel.objects.create(entity_id=now.pk, number=number, kind=entity.kind, unit=entity.wire_unit, since_ms=began)
        if not entity.retired:
            Entity.objects.filter(pk=entity.pk).update(channel=number)
        schema_editor.execute(_MOVED.format(entity=now.pk, channel=number, before=entity.pk))
    schema_editor.execute("DROP TABLE records_reading")
    schema_editor.execute("ALTER TABLE records_reading_new RENAME TO records_reading")
    Entity.objects.filter(retired=True).exclude(pk__in=count).delete()


def offers(apps, schema_editor):
    Node, Arrival = apps.get_model('records', 'Node'), apps.get_model('records', 'Arrival')
    for node in Node.objects.all():
        description = node.reach.get('description')
        if description is None:
            continue
        try:
            node.offer = read_description(description).offer.as_data()
        except DescriptionError:
            continue
        if not node.reach.get('url'):
            # Only a node that is reached as its description says needs it as it stands.
            node.reach = {key: value for key, value in node.reach.items() if key != 'description'}
        node.save()
    for arrival in Arrival.objects.all():
        try:
            arrival.offer = read_description(arrival.description).offer.as_data()
        except DescriptionError:
            arrival.delete()  # it asks again
            continue
        if arrival.reach.get('url'):
            arrival.reach = {**arrival.reach, 'description': arrival.description}
        arrival.save()


def keys(apps, schema_editor):
    """What a link keeps begins with the link's name."""
    LinkState = apps.get_model('records', 'LinkState')
    for key in list(LinkState.objects.values_list('key', flat=True)):
        if key.partition('/')[0] not in ('wifi', 'zigbee', 'bluetooth', 'hub'):
            LinkState.objects.filter(key=key).update(key=f'wifi/{key}')


class Migration(migrations.Migration):

    dependencies = [
        ('records', '0010_series'),
    ]

    operations = [
        migrations.RunPython(offers),
        migrations.RunPython(keys),
        migrations.RunPython(readings),
    ]
