"""The kind of the keys that a person makes."""

from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("accounts", "0001_preferences")]

    operations = [migrations.AddField("preference", "key_kind", models.CharField(max_length=8, default="flowing"))]
