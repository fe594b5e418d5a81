"""The working range of a shot."""

from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("productions", "0001_first")]

    operations = [
        migrations.AddField("shot", "work_first", models.IntegerField(null=True, blank=True, help_text="first frame of the working range; nothing is the shot's")),
        migrations.AddField("shot", "work_last", models.IntegerField(null=True, blank=True)),
    ]
