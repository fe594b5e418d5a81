"""How far the decoding of a plate is, its job tells."""

from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("plates", "0001_first"), ("jobs", "0001_first")]

    operations = [
        migrations.RenameField("plate", "look", "display_version"),
        migrations.AlterField("plate", "display_version", models.PositiveIntegerField(default=0)),
        migrations.RemoveField("plate", "done"),
        migrations.RemoveField("plate", "total"),
        migrations.RemoveField("plate", "cancel"),
        migrations.RemoveField("plate", "message"),
    ]
