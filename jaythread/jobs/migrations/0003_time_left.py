from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("jobs", "0002_carried_out_by")]

    operations = [migrations.AddField(model_name="job", name="left", field=models.PositiveIntegerField(null=True))]
