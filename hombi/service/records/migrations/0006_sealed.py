from django.db import migrations

from hombi.service.records.sealing import SealedJSONField, SealedTextField


def seal(apps, schema_editor):
    """What is stored again is sealed."""
    for name in ("Node", "LinkState", "HubKey", "Phone"):
        for row in apps.get_model("records", name).objects.all().iterator():
            row.save()


class Migration(migrations.Migration):
    dependencies = [("records", "0005_messages_one_by_one")]
    operations = [
        migrations.AlterField("node", "reach", SealedJSONField(default=dict, members=("secret",))),
        migrations.AlterField("linkstate", "state", SealedJSONField(members=("key",))),
        migrations.AlterField("hubkey", "value", SealedTextField()),
        migrations.AlterField("phone", "auth", SealedTextField()),
        migrations.RunPython(seal, migrations.RunPython.noop),
    ]
