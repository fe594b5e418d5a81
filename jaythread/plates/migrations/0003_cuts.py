"""Frames on which another take begins."""

from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("plates", "0002_decoding_is_a_job")]

    operations = [migrations.AddField("plate", "cuts", models.JSONField(default=list, help_text="frames on which another take begins"))]
