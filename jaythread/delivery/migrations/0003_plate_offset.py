"""By which numbers a delivery knows its plate."""

from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("delivery", "0002_recipes_and_chunks")]

    operations = [
        migrations.AddField(
            "delivery", "plate_offset", models.IntegerField(default=0, help_text="of the plate's numbers, when it was asked for")
        )
    ]
