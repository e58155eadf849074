
import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('desk', '0015_kept_arrangements'),
        ('workshop', '0017_query_runs'),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.CreateModel(
            name='Incoming',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('part', models.CharField(blank=True, max_length=60)),
                ('master', models.TextField(blank=True)),
                ('name', models.CharField(max_length=200)),
                ('look', models.JSONField(default=dict)),
                ('spool', models.JSONField(default=dict)),
                ('mapping', models.JSONField(default=dict)),
                ('existing', models.CharField(default='update', max_length=8)),
                ('mended', models.JSONField(default=dict)),
                ('faults', models.JSONField(default=list)),
                ('counts', models.JSONField(default=dict)),
                ('checked', models.PositiveIntegerField(default=0)),
                ('taken', models.PositiveIntegerField(default=0)),
                ('at', models.DateTimeField(auto_now_add=True)),
                ('form', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='incoming', to='workshop.form')),
                ('person', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='incoming', to=settings.AUTH_USER_MODEL)),
            ],
            options={
                'ordering': ['pk'],
            },
        ),
        migrations.CreateModel(
            name='KeptMapping',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('part', models.CharField(blank=True, max_length=60)),
                ('by_head', models.JSONField(default=dict)),
                ('form', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='kept_mappings', to='workshop.form')),
            ],
            options={
                'constraints': [models.UniqueConstraint(fields=('form', 'part'), name='one_mapping')],
            },
        ),
    ]
