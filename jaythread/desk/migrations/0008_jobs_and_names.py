"""Long work goes over to the room of jobs; names of the journal; who is here; a column that nothing used."""

import django.db.models.deletion
import django.utils.timezone
from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [
        ("desk", "0007_notes"),
        ("jobs", "0001_first"),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.DeleteModel("Solving"),
        migrations.DeleteModel("Following"),
        migrations.DeleteModel("Measuring"),
        *(migrations.RemoveField(f"{channel}key", "tracked") for channel in ("form", "placement", "setting", "reach")),
        migrations.RenameField("edit", "says", "summary"),
        migrations.RenameField("edit", "turned", "reversed"),
        migrations.RenameField("edit", "turns", "reverses"),
        migrations.AlterField(
            "edit",
            "reverses",
            models.ForeignKey(
                blank=True, null=True, on_delete=django.db.models.deletion.PROTECT, related_name="reversed_by", to="desk.edit"
            ),
        ),
        migrations.AlterField("stackentry", "mode", models.CharField(default="add", max_length=12)),
        migrations.CreateModel(
            name="Presence",
            fields=[
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("seen", models.DateTimeField(default=django.utils.timezone.now)),
                (
                    "shot",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.CASCADE, related_name="presences", to="productions.shot"
                    ),
                ),
                (
                    "user",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.CASCADE, related_name="presences", to=settings.AUTH_USER_MODEL
                    ),
                ),
            ],
            options={"constraints": [models.UniqueConstraint(fields=("shot", "user"), name="once_at_a_shot")]},
        ),
    ]
