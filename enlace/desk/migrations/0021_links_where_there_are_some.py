"""The indexes of links leave out the records that are no details, whose links are none instead of empty texts."""

from django.db import migrations, models


def none(apps, schema_editor):
    records = apps.get_model("desk", "DraftRecord").objects
    for name in ("was_of", "now_of"):
        records.filter(**{name: ""}).update(**{name: None})


def count_new(apps, schema_editor):
    """How many new records of the form's own part a draft has is kept with its other counts."""
    for draft in apps.get_model("desk", "Draft").objects.exclude(counts={}):
        draft.counts["own new"] = draft.records.filter(part="", state="new").count()
        draft.save(update_fields=["counts"])


class Migration(migrations.Migration):

    dependencies = [
        ('desk', '0020_step_sizes'),
    ]

    operations = [
        migrations.RemoveIndex(
            model_name='draftrecord',
            name='draft_was_of',
        ),
        migrations.RemoveIndex(
            model_name='draftrecord',
            name='draft_now_of',
        ),
        migrations.AlterField(
            model_name='draftrecord',
            name='now_of',
            field=models.TextField(blank=True, null=True),
        ),
        migrations.AlterField(
            model_name='draftrecord',
            name='was_of',
            field=models.TextField(blank=True, null=True),
        ),
        migrations.RunPython(none, migrations.RunPython.noop),
        migrations.RunPython(count_new, migrations.RunPython.noop),
        migrations.AddIndex(
            model_name='draftrecord',
            index=models.Index(condition=models.Q(('was_of__isnull', False)), fields=['draft', 'part', 'was_of'], name='draft_was_of'),
        ),
        migrations.AddIndex(
            model_name='draftrecord',
            index=models.Index(condition=models.Q(('now_of__isnull', False)), fields=['draft', 'part', 'now_of'], name='draft_now_of'),
        ),
    ]
