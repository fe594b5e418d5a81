

import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):

    initial = True

    dependencies = [
        ('desk', '0001_first'),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.CreateModel(
            name='Delivery',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('version', models.PositiveIntegerField()),
                ('revision', models.PositiveBigIntegerField()),
                ('document', models.TextField()),
                ('state', models.CharField(choices=[('waiting', 'Waiting'), ('rendering', 'Rendering'), ('reading back', 'Reading'), ('proved', 'Proved'), ('failed', 'Failed'), ('cancelled', 'Cancelled')], default='waiting', max_length=14)),
                ('cancel', models.BooleanField(default=False)),
                ('checked', models.PositiveIntegerField(default=0)),
                ('wrong', models.JSONField(default=list)),
                ('made', models.DateTimeField(auto_now_add=True)),
                ('ended', models.DateTimeField(null=True)),
                ('matte', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='deliveries', to='desk.matte')),
                ('user', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='deliveries', to=settings.AUTH_USER_MODEL)),
            ],
            options={
                'ordering': ['-made'],
            },
        ),
        migrations.CreateModel(
            name='DeliveredFrame',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('frame', models.IntegerField()),
                ('name', models.CharField(max_length=160)),
                ('done', models.BooleanField(default=False)),
                ('bytes', models.PositiveBigIntegerField(default=0)),
                ('sha256', models.CharField(blank=True, max_length=64)),
                ('samples', models.PositiveIntegerField(default=0)),
                ('capped', models.BooleanField(default=False)),
                ('delivery', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='frames', to='delivery.delivery')),
            ],
            options={
                'ordering': ['frame'],
            },
        ),
        migrations.AddConstraint(
            model_name='delivery',
            constraint=models.UniqueConstraint(fields=('matte', 'version'), name='delivery_version_once'),
        ),
        migrations.AddConstraint(
            model_name='deliveredframe',
            constraint=models.UniqueConstraint(fields=('delivery', 'frame'), name='delivered_frame_once'),
        ),
    ]
