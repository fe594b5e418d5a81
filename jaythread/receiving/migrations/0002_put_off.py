"""A package whose receiver is not well is put off."""

from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("receiving", "0001_first")]

    operations = [
        migrations.AddField("sending", "again", models.PositiveSmallIntegerField(default=0)),
        migrations.AddField("sending", "reached", models.PositiveBigIntegerField(default=0)),
    ]
