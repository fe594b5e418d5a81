from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("productions", "0005_removed_shots")]

    operations = [
        migrations.AddField(
            "production",
            "archived",
            models.DateTimeField(blank=True, null=True, help_text="since when it is looked at only"),
        ),
    ]
