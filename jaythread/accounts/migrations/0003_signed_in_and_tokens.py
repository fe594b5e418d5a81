import django.db.models.deletion
import django.utils.timezone
from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("accounts", "0002_key_kind"), ("sessions", "0001_initial"), migrations.swappable_dependency(settings.AUTH_USER_MODEL)]

    operations = [
        migrations.CreateModel(
            name="SignedIn",
            fields=[
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("browser", models.CharField(blank=True, max_length=200)),
                ("address", models.GenericIPAddressField(null=True)),
                ("since", models.DateTimeField(default=django.utils.timezone.now)),
                ("seen", models.DateTimeField(default=django.utils.timezone.now)),
                ("session", models.OneToOneField(on_delete=django.db.models.deletion.CASCADE, to="sessions.session")),
                (
                    "user",
                    models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name="signed_in", to=settings.AUTH_USER_MODEL),
                ),
            ],
            options={"ordering": ["-seen", "-since"]},
        ),
        migrations.CreateModel(
            name="Token",
            fields=[
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("name", models.CharField(max_length=60)),
                ("digest", models.CharField(max_length=64, unique=True)),
                ("changes", models.BooleanField(default=False)),
                ("made", models.DateTimeField(default=django.utils.timezone.now)),
                ("used", models.DateTimeField(null=True)),
                (
                    "user",
                    models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name="tokens", to=settings.AUTH_USER_MODEL),
                ),
            ],
            options={"ordering": ["name", "pk"]},
        ),
    ]
