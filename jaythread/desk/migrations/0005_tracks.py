"""Tracks, what rides on them, and the work of following."""

import uuid

import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [
        ("desk", "0004_fringes_and_shifts"),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.AddField(model_name="shape", name="carrier", field=models.JSONField(blank=True, null=True)),
        migrations.CreateModel(
            name="Track",
            fields=[
                ("id", models.UUIDField(default=uuid.uuid4, primary_key=True, serialize=False)),
                ("name", models.CharField(max_length=60)),
                ("data", models.JSONField()),
                ("revision", models.PositiveBigIntegerField(default=0)),
                ("shot", models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name="tracks", to="productions.shot")),
            ],
            options={"ordering": ["name"]},
        ),
        migrations.CreateModel(
            name="Following",
            fields=[
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                (
                    "state",
                    models.CharField(
                        choices=[
                            ("waiting", "Waiting"),
                            ("working", "Working"),
                            ("done", "Done"),
                            ("failed", "Failed"),
                            ("cancelled", "Cancelled"),
                        ],
                        default="waiting",
                        max_length=10,
                    ),
                ),
                ("done", models.PositiveIntegerField(default=0)),
                ("total", models.PositiveIntegerField(default=0)),
                ("cancel", models.BooleanField(default=False)),
                ("message", models.CharField(blank=True, max_length=400)),
                ("made", models.DateTimeField(auto_now_add=True)),
                ("source", models.IntegerField()),
                ("target", models.IntegerField()),
                ("proxies", models.BooleanField(default=False)),
                ("path", models.JSONField(default=list)),
                ("shot", models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name="followings", to="productions.shot")),
                ("track", models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name="followings", to="desk.track")),
                (
                    "user",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.PROTECT, related_name="followings", to=settings.AUTH_USER_MODEL
                    ),
                ),
            ],
            options={"ordering": ["-made"]},
        ),
    ]
