

import django.db.models.deletion
import uuid
from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):

    initial = True

    dependencies = [
        ('productions', '0001_first'),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.CreateModel(
            name='Matte',
            fields=[
                ('id', models.UUIDField(default=uuid.uuid4, primary_key=True, serialize=False)),
                ('made', models.DateTimeField(auto_now_add=True)),
                ('name', models.CharField(max_length=40)),
                ('inverted', models.BooleanField(default=False)),
                ('shot', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='mattes', to='productions.shot')),
            ],
            options={
                'ordering': ['made'],
            },
        ),
        migrations.CreateModel(
            name='Shape',
            fields=[
                ('id', models.UUIDField(default=uuid.uuid4, primary_key=True, serialize=False)),
                ('name', models.CharField(max_length=60)),
                ('kind', models.CharField(choices=[('closed', 'closed'), ('dividing', 'dividing')], default='closed', max_length=10)),
                ('points', models.BinaryField()),
                ('colour', models.PositiveSmallIntegerField(default=0)),
                ('profile', models.CharField(choices=[('straight', 'straight'), ('smooth', 'smooth'), ('early', 'early'), ('late', 'late')], default='straight', max_length=10)),
                ('blur', models.BooleanField(default=True)),
                ('pivot_x', models.FloatField(default=0.0)),
                ('pivot_y', models.FloatField(default=0.0)),
                ('revision', models.PositiveBigIntegerField(default=0)),
                ('shot', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='shapes', to='productions.shot')),
            ],
            options={
                'ordering': ['name'],
            },
        ),
        migrations.CreateModel(
            name='SettingKey',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('frame', models.IntegerField()),
                ('kind', models.PositiveSmallIntegerField(default=2)),
                ('held', models.BinaryField()),
                ('values', models.BinaryField()),
                ('speeds', models.BinaryField()),
                ('tracked', models.BooleanField(default=False)),
                ('shape', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='setting_keys', to='desk.shape')),
            ],
            options={
                'ordering': ['frame'],
                'abstract': False,
            },
        ),
        migrations.CreateModel(
            name='PlacementKey',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('frame', models.IntegerField()),
                ('kind', models.PositiveSmallIntegerField(default=2)),
                ('held', models.BinaryField()),
                ('values', models.BinaryField()),
                ('speeds', models.BinaryField()),
                ('tracked', models.BooleanField(default=False)),
                ('shape', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='placement_keys', to='desk.shape')),
            ],
            options={
                'ordering': ['frame'],
                'abstract': False,
            },
        ),
        migrations.CreateModel(
            name='LiveRange',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('first', models.IntegerField()),
                ('last', models.IntegerField()),
                ('shape', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='live_ranges', to='desk.shape')),
            ],
            options={
                'ordering': ['first'],
            },
        ),
        migrations.CreateModel(
            name='FormKey',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('frame', models.IntegerField()),
                ('kind', models.PositiveSmallIntegerField(default=2)),
                ('held', models.BinaryField()),
                ('values', models.BinaryField()),
                ('speeds', models.BinaryField()),
                ('tracked', models.BooleanField(default=False)),
                ('shape', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='form_keys', to='desk.shape')),
            ],
            options={
                'ordering': ['frame'],
                'abstract': False,
            },
        ),
        migrations.CreateModel(
            name='StackEntry',
            fields=[
                ('id', models.UUIDField(default=uuid.uuid4, primary_key=True, serialize=False)),
                ('order', models.FloatField()),
                ('mode', models.CharField(choices=[('add', 'adds'), ('cut', 'cuts'), ('keep', 'keeps the overlap')], default='add', max_length=4)),
                ('inverted', models.BooleanField(default=False)),
                ('opacity', models.FloatField(default=1.0)),
                ('matte', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='entries', to='desk.matte')),
                ('shape', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='entries', to='desk.shape')),
            ],
            options={
                'ordering': ['order', 'id'],
            },
        ),
        migrations.CreateModel(
            name='Edit',
            fields=[
                ('id', models.UUIDField(primary_key=True, serialize=False)),
                ('revision', models.PositiveBigIntegerField()),
                ('way', models.CharField(choices=[('do', 'Do'), ('undo', 'Undo'), ('redo', 'Redo')], default='do', max_length=4)),
                ('says', models.CharField(max_length=200)),
                ('changes', models.JSONField()),
                ('turned', models.BooleanField(default=False)),
                ('made', models.DateTimeField(auto_now_add=True)),
                ('shot', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='edits', to='productions.shot')),
                ('turns', models.ForeignKey(blank=True, null=True, on_delete=django.db.models.deletion.PROTECT, related_name='turned_by', to='desk.edit')),
                ('user', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='edits', to=settings.AUTH_USER_MODEL)),
            ],
            options={
                'ordering': ['revision'],
                'constraints': [models.UniqueConstraint(fields=('shot', 'revision'), name='one_edit_a_revision')],
            },
        ),
        migrations.AddConstraint(
            model_name='matte',
            constraint=models.UniqueConstraint(fields=('shot', 'name'), name='matte_name_once'),
        ),
        migrations.AddConstraint(
            model_name='settingkey',
            constraint=models.UniqueConstraint(fields=('shape', 'frame'), name='setting_key_once'),
        ),
        migrations.AddConstraint(
            model_name='placementkey',
            constraint=models.UniqueConstraint(fields=('shape', 'frame'), name='placement_key_once'),
        ),
        migrations.AddConstraint(
            model_name='formkey',
            constraint=models.UniqueConstraint(fields=('shape', 'frame'), name='form_key_once'),
        ),
    ]
