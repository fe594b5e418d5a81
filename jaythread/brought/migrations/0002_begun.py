"""Mattes from elsewhere go along with the shot's numbers. Those that are there were read with the numbers that their shot has now."""

from django.db import migrations, models
from django.db.models import OuterRef, Subquery


def with_the_shots_numbers(apps, editor):
    shots = apps.get_model("productions", "Shot").objects.filter(pk=OuterRef("shot"))
    apps.get_model("brought", "Brought").objects.update(begun=Subquery(shots.values("first")[:1]))


class Migration(migrations.Migration):
    dependencies = [("brought", "0001_first")]

    operations = [
        migrations.AddField(model_name="brought", name="begun", field=models.IntegerField(default=0), preserve_default=False),
        migrations.RunPython(with_the_shots_numbers, migrations.RunPython.noop),
    ]
