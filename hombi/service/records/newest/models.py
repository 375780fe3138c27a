"""The one table of the database of the newest readings."""

from django.db import models

# The name of this database among Django's.
ALIAS = "newest"


class NewestReading(models.Model):
    """A reading that is safe and not yet in the house's database. Rows are only added
    at the end, so that one reading costs one page.

    `round` counts how often the house's database took all of them over.
    """

    # SQLite gives it by itself. An AutoField would count in a table beside this one,
    # which is a second page for each reading.
    id = models.IntegerField(primary_key=True)
    round = models.BigIntegerField()
    entity = models.BigIntegerField()
    at_ms = models.BigIntegerField()
    channel = models.SmallIntegerField()
    sent = models.FloatField(null=True)
    value = models.FloatField(null=True)
    quality = models.SmallIntegerField()

    class Meta:
        app_label = ALIAS
