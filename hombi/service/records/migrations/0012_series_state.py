"""What the migration before did to the tables, and what nothing uses any more."""

from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('records', '0011_series_data'),
    ]

    operations = [
        migrations.SeparateDatabaseAndState(
            state_operations=[
                migrations.AddField('reading', 'channel', models.SmallIntegerField(), preserve_default=False),
                migrations.RenameField('reading', 'raw', 'sent'),
                migrations.AlterField('reading', 'sent', models.FloatField(null=True)),
                migrations.AlterField('reading', 'value', models.FloatField(null=True)),
            ],
        ),
        migrations.RemoveConstraint('entity', 'one_entity_a_name'),
        migrations.RemoveField('entity', 'retired'),
        migrations.AddConstraint(
            model_name='entity',
            constraint=models.UniqueConstraint(fields=('node', 'name'), name='one_entity_a_name'),
        ),
        migrations.RemoveField('arrival', 'description'),
    ]
