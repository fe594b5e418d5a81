"""Shots that were removed, and where they wait."""

import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("productions", "0004_more_samples")]

    operations = [
        migrations.AddField(
            "production",
            "shelf",
            models.BooleanField(default=False, help_text="nobody's: where removed shots wait until their files are cleared away"),
        ),
        migrations.AddConstraint(
            "production", models.UniqueConstraint(fields=["shelf"], condition=models.Q(shelf=True), name="one_shelf")
        ),
        migrations.AddField("shot", "removed", models.DateTimeField(null=True, blank=True)),
        migrations.AddField("shot", "removed_name", models.CharField(max_length=60, blank=True)),
        migrations.AddField(
            "shot",
            "removed_from",
            models.ForeignKey(
                null=True, blank=True, on_delete=django.db.models.deletion.CASCADE, related_name="removed_shots", to="productions.production"
            ),
        ),
    ]
