import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):
    initial = True
    dependencies = [("productions", "0006_archived")]

    operations = [
        migrations.CreateModel(
            name="Housekeeping",
            fields=[
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("keep", models.PositiveSmallIntegerField(blank=True, null=True)),
                ("warn_at", models.PositiveIntegerField(blank=True, null=True)),
                ("plates", models.PositiveBigIntegerField(default=0)),
                ("packages", models.PositiveBigIntegerField(default=0)),
                ("others", models.PositiveBigIntegerField(default=0)),
                ("measured", models.DateTimeField(null=True)),
                ("told", models.BooleanField(default=False)),
                (
                    "production",
                    models.OneToOneField(
                        on_delete=django.db.models.deletion.CASCADE, related_name="housekeeping", to="productions.production"
                    ),
                ),
            ],
        ),
    ]
