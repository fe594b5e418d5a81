"""Notes are open, done, or not done and why; a picture may be put in."""

from django.db import migrations, models


def settle(apps, schema_editor):
    """What was done stays done; nobody knows any more by whom."""
    apps.get_model("desk", "Note").objects.filter(done=True).update(state="done")


def unsettle(apps, schema_editor):
    apps.get_model("desk", "Note").objects.exclude(state="open").update(done=True)


class Migration(migrations.Migration):
    dependencies = [("desk", "0011_notes_that_are_drawn")]

    operations = [
        migrations.AddField("note", "pasted", models.CharField(blank=True, max_length=80, default=""), preserve_default=False),
        migrations.AddField(
            "note", "state", models.CharField(choices=[("open", "Open"), ("done", "Done"), ("not done", "Not Done")], default="open", max_length=10)
        ),
        migrations.AddField("note", "settled_by", models.CharField(blank=True, max_length=80, default=""), preserve_default=False),
        migrations.AddField("note", "settled_at", models.PositiveBigIntegerField(blank=True, null=True)),
        migrations.AddField("note", "reason", models.CharField(blank=True, max_length=300, default=""), preserve_default=False),
        migrations.RunPython(settle, unsettle),
        migrations.RemoveField("note", "done"),
    ]
