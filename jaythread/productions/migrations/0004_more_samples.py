"""The most samples of an exposure follow the core's: an edge without a reach asks for fewer of them now where it is quick."""

from django.db import migrations, models


def raise_cap(apps, schema_editor):
    apps.get_model("productions", "Shot").objects.filter(shutter_cap=64).update(shutter_cap=128)


class Migration(migrations.Migration):
    dependencies = [("productions", "0003_pixel_aspect")]

    operations = [
        migrations.AlterField("shot", "shutter_cap", models.PositiveIntegerField(default=128)),
        migrations.RunPython(raise_cap, migrations.RunPython.noop),
    ]
