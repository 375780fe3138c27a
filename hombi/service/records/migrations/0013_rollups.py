"""Rollups by channel, with how long a value was known; hours to be rolled up again."""

import django.db.models.deletion
from django.db import migrations, models

# Nothing had written rollups before: the table can be made again.
TABLES = """
DROP TABLE records_rollup;
CREATE TABLE records_rollup (
    entity_id bigint NOT NULL REFERENCES records_entity (id) DEFERRABLE INITIALLY DEFERRED,
    width_ms bigint NOT NULL,
    start_ms bigint NOT NULL,
    channel smallint NOT NULL,
    count integer NOT NULL,
    low real NOT NULL,
    mean real NOT NULL,
    high real NOT NULL,
    last real NOT NULL,
    held_ms bigint NOT NULL,
    PRIMARY KEY (entity_id, width_ms, start_ms, channel)
) WITHOUT ROWID;
CREATE TABLE records_stale (
    entity_id bigint NOT NULL REFERENCES records_entity (id) DEFERRABLE INITIALLY DEFERRED,
    start_ms bigint NOT NULL,
    PRIMARY KEY (entity_id, start_ms)
) WITHOUT ROWID;
"""


class Migration(migrations.Migration):
    dependencies = [("records", "0012_series_state")]

    operations = [
        migrations.SeparateDatabaseAndState(
            database_operations=[migrations.RunSQL(TABLES, migrations.RunSQL.noop)],
            state_operations=[
                migrations.DeleteModel("Rollup"),
                migrations.CreateModel(
                    name="Rollup",
                    fields=[
                        ("pk", models.CompositePrimaryKey("entity_id", "width_ms", "start_ms", "channel", blank=True, editable=False, primary_key=True, serialize=False)),
                        ("width_ms", models.BigIntegerField()),
                        ("start_ms", models.BigIntegerField()),
                        ("channel", models.SmallIntegerField()),
                        ("count", models.IntegerField()),
                        ("low", models.FloatField()),
                        ("mean", models.FloatField()),
                        ("high", models.FloatField()),
                        ("last", models.FloatField()),
                        ("held_ms", models.BigIntegerField()),
                        ("entity", models.ForeignKey(db_index=False, on_delete=django.db.models.deletion.DO_NOTHING, related_name="rollups", to="records.entity")),
                    ],
                ),
                migrations.CreateModel(
                    name="Stale",
                    fields=[
                        ("pk", models.CompositePrimaryKey("entity_id", "start_ms", blank=True, editable=False, primary_key=True, serialize=False)),
                        ("start_ms", models.BigIntegerField()),
                        ("entity", models.ForeignKey(db_index=False, on_delete=django.db.models.deletion.DO_NOTHING, related_name="+", to="records.entity")),
                    ],
                ),
            ],
        ),
    ]
