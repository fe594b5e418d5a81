"""Answers to notes."""

import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("desk", "0008_jobs_and_names"), migrations.swappable_dependency(settings.AUTH_USER_MODEL)]

    operations = [
        migrations.CreateModel(
            name="Answer",
            fields=[
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("says", models.CharField(max_length=1000)),
                ("made", models.DateTimeField(auto_now_add=True)),
                ("sent", models.BooleanField(default=False)),
                ("note", models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name="answers", to="desk.note")),
                (
                    "user",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.PROTECT, related_name="answers", to=settings.AUTH_USER_MODEL
                    ),
                ),
            ],
            options={"ordering": ["made", "pk"]},
        )
    ]
