"""How well outlines lie on the picture, measured; and which frames were looked at."""

import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models

STATES = [("waiting", "Waiting"), ("working", "Working"), ("done", "Done"), ("failed", "Failed"), ("cancelled", "Cancelled")]


class Migration(migrations.Migration):
    dependencies = [
        ("desk", "0005_tracks"),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.CreateModel(
            name="FrameFit",
            fields=[
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("frame", models.IntegerField()),
                ("key", models.CharField(blank=True, max_length=64)),
                ("shapes", models.JSONField(default=dict)),
                ("looked", models.CharField(blank=True, max_length=64)),
                ("matte", models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name="fits", to="desk.matte")),
            ],
            options={"ordering": ["frame"]},
        ),
        migrations.AddConstraint(
            model_name="framefit", constraint=models.UniqueConstraint(fields=("matte", "frame"), name="fit_once_a_frame")
        ),
        migrations.CreateModel(
            name="Measuring",
            fields=[
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("state", models.CharField(choices=STATES, default="waiting", max_length=10)),
                ("done", models.PositiveIntegerField(default=0)),
                ("total", models.PositiveIntegerField(default=0)),
                ("cancel", models.BooleanField(default=False)),
                ("message", models.CharField(blank=True, max_length=400)),
                ("made", models.DateTimeField(auto_now_add=True)),
                ("matte", models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name="measurings", to="desk.matte")),
                (
                    "user",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.PROTECT, related_name="measurings", to=settings.AUTH_USER_MODEL
                    ),
                ),
            ],
            options={"ordering": ["-made"]},
        ),
    ]
