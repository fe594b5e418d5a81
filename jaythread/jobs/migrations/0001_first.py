"""One model for all long work."""

import django.db.models.deletion
import django.utils.timezone
from django.conf import settings
from django.db import migrations, models

STATES = [("waiting", "Waiting"), ("working", "Working"), ("done", "Done"), ("failed", "Failed"), ("cancelled", "Cancelled")]


class Migration(migrations.Migration):
    initial = True
    dependencies = [
        ("productions", "0001_first"),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.CreateModel(
            name="Job",
            fields=[
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("kind", models.CharField(max_length=40)),
                ("subject", models.CharField(max_length=64)),
                ("settings", models.JSONField(default=dict)),
                ("state", models.CharField(choices=STATES, default="waiting", max_length=10)),
                ("done", models.PositiveIntegerField(default=0)),
                ("total", models.PositiveIntegerField(default=0)),
                ("cancel", models.BooleanField(default=False)),
                ("partial", models.JSONField(default=dict)),
                ("message", models.CharField(blank=True, max_length=400)),
                ("made", models.DateTimeField(default=django.utils.timezone.now)),
                ("changed", models.DateTimeField(default=django.utils.timezone.now)),
                (
                    "shot",
                    models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name="jobs", to="productions.shot"),
                ),
                (
                    "user",
                    models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name="jobs", to=settings.AUTH_USER_MODEL),
                ),
            ],
            options={
                "ordering": ["-pk"],
                "indexes": [models.Index(fields=["shot", "changed"], name="job_of_shot_changed")],
                "constraints": [
                    models.UniqueConstraint(
                        condition=models.Q(("state__in", ("waiting", "working"))), fields=("kind", "subject"), name="one_job_at_a_time"
                    )
                ],
            },
        ),
    ]
