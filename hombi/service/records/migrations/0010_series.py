"""Samples as they were sent, channels, rollups; what a node offers; who was behind it."""

import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('records', '0009_retired_entities'),
    ]

    operations = [
        migrations.AddField(
            model_name='node',
            name='offer',
            field=models.JSONField(default=dict),
        ),
        migrations.AddField(
            model_name='arrival',
            name='offer',
            field=models.JSONField(default=dict),
        ),
        migrations.AddField(
            model_name='journalentry',
            name='by',
            field=models.CharField(blank=True, max_length=150),
        ),
        migrations.AddField(
            model_name='entity',
            name='channel',
            field=models.SmallIntegerField(default=0),
        ),
        migrations.AddField(
            model_name='entity',
            name='derivation',
            field=models.JSONField(default=dict),
        ),
        migrations.AddField(
            model_name='entity',
            name='room',
            field=models.ForeignKey(null=True, on_delete=django.db.models.deletion.PROTECT, related_name='entities', to='records.room'),
        ),
        migrations.AlterField(
            model_name='entity',
            name='node',
            field=models.ForeignKey(null=True, on_delete=django.db.models.deletion.CASCADE, related_name='entities', to='records.node'),
        ),
        migrations.AlterField(
            model_name='entity',
            name='wire_name',
            field=models.CharField(blank=True, max_length=120),
        ),
        migrations.CreateModel(
            name='Channel',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('number', models.SmallIntegerField()),
                ('kind', models.CharField(max_length=20)),
                ('unit', models.CharField(blank=True, max_length=40)),
                ('since_ms', models.BigIntegerField()),
                ('entity', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='channels', to='records.entity')),
            ],
            options={
                'constraints': [models.UniqueConstraint(fields=('entity', 'number'), name='one_channel_a_number')],
            },
        ),
        migrations.SeparateDatabaseAndState(
            database_operations=[
                migrations.RunSQL(
                    """
                    CREATE TABLE records_rollup (
                        entity_id bigint NOT NULL REFERENCES records_entity (id) DEFERRABLE INITIALLY DEFERRED,
                        width_ms bigint NOT NULL,
                        start_ms bigint NOT NULL,
                        count integer NOT NULL,
                        low real NOT NULL,
                        mean real NOT NULL,
                        high real NOT NULL,
                        last real NOT NULL,
                        on_ms bigint NOT NULL,
                        PRIMARY KEY (entity_id, width_ms, start_ms)
                    ) WITHOUT ROWID
                    """,
                    "DROP TABLE records_rollup",
                ),
            ],
            state_operations=[
                migrations.CreateModel(
                    name='Rollup',
                    fields=[
                        ('pk', models.CompositePrimaryKey('entity_id', 'width_ms', 'start_ms', blank=True, editable=False, primary_key=True, serialize=False)),
                        ('width_ms', models.BigIntegerField()),
                        ('start_ms', models.BigIntegerField()),
                        ('count', models.IntegerField()),
                        ('low', models.FloatField()),
                        ('mean', models.FloatField()),
                        ('high', models.FloatField()),
                        ('last', models.FloatField()),
                        ('on_ms', models.BigIntegerField(default=0)),
                        ('entity', models.ForeignKey(db_index=False, on_delete=django.db.models.deletion.DO_NOTHING, related_name='rollups', to='records.entity')),
                    ],
                ),
            ],
        ),
    ]
