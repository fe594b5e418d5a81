from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('plates', '0007_the_folder_of_quick_pictures'),
    ]

    operations = [
        migrations.AddField(
            model_name='upload',
            name='parts',
            field=models.JSONField(default=list, help_text='bytes of each piece in the shared store, in order'),
        ),
    ]
