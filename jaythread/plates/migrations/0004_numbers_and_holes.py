"""Numbers that were corrected, stills that are missing, and a plate's own range."""

from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("plates", "0003_cuts")]

    operations = [
        migrations.AddField("plate", "offset", models.IntegerField(default=0, help_text="added to a file's number, it is the frame's")),
        migrations.AddField("plate", "holds", models.BooleanField(default=False, help_text="a missing still shows the one before")),
        migrations.AddField("plate", "first", models.IntegerField(null=True)),
        migrations.AddField("plate", "last", models.IntegerField(null=True)),
    ]
