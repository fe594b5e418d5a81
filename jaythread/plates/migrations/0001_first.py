

import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):

    initial = True

    dependencies = [
        ('productions', '0001_first'),
    ]

    operations = [
        migrations.CreateModel(
            name='Plate',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('version', models.PositiveIntegerField(default=1)),
                ('source', models.CharField(max_length=200)),
                ('is_movie', models.BooleanField(default=False)),
                ('names', models.JSONField(default=dict)),
                ('notes', models.JSONField(default=list)),
                ('space', models.CharField(choices=[('display', 'made for display'), ('linear', 'linear light'), ('log', 'logarithmic')], default='display', max_length=10)),
                ('look', models.PositiveIntegerField(default=0, help_text='counts changes of the colour space, so that pages fetch anew')),
                ('state', models.CharField(choices=[('waiting', 'Waiting'), ('working', 'Working'), ('ready', 'Ready'), ('failed', 'Failed'), ('cancelled', 'Cancelled')], default='waiting', max_length=10)),
                ('done', models.PositiveIntegerField(default=0)),
                ('total', models.PositiveIntegerField(default=0)),
                ('cancel', models.BooleanField(default=False)),
                ('message', models.CharField(blank=True, max_length=400)),
                ('shot', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='plates', to='productions.shot')),
            ],
            options={
                'ordering': ['-version'],
            },
        ),
    ]
