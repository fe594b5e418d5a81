from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("desk", "0012_notes_are_settled")]

    operations = [migrations.AddField("stackentry", "source", models.JSONField(blank=True, default=dict))]
