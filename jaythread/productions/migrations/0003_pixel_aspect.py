"""Pixels that are not square."""

from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("productions", "0002_working_range")]

    operations = [migrations.AddField("shot", "pixel_aspect", models.FloatField(default=1.0, help_text="width of a pixel to its height"))]
