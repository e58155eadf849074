"""Drafts, their steps, the journal and totals name a detail as its source is called, where they had its number."""

import json

from django.db import migrations, models


def within(value, names):
    """A stored record with the names of the parts that its fields wait for."""
    for waits in value.get("under", {}).values():
        waits[0] = names.get(waits[0], waits[0])
    return value


def text_of(text, names):
    return json.dumps(within(json.loads(text), names), ensure_ascii=False) if text and '"under"' in text else text


def step_of(text, names):
    lines = [[names.get(part, part), *rest[:-1], text_of(rest[-1], names)] for part, *rest in json.loads(text)]
    return json.dumps(lines, ensure_ascii=False)


def rename(apps, schema_editor):
    names = {str(pk): name for pk, name in apps.get_model("workshop", "Detail").objects.values_list("pk", "name")}
    if not names:
        return
    for model in ("DraftRecord", "JournalRecord", "WantedTotal"):
        several = apps.get_model("desk", model).objects.all()
        for part in set(several.values_list("part", flat=True)) & set(names):
            several.filter(part=part).update(part=names[part])
    for record in apps.get_model("desk", "DraftRecord").objects.filter(body__contains='"under"').iterator():
        record.body = text_of(record.body, names)
        record.save(update_fields=["body"])
    for step in apps.get_model("desk", "DraftStep").objects.iterator():
        step.before, step.after = step_of(step.before, names), step_of(step.after, names)
        step.save(update_fields=["before", "after"])


class Migration(migrations.Migration):
    dependencies = [("desk", "0008_sent_records"), ("workshop", "0015_source_names")]

    operations = [
        migrations.AlterField("wantedtotal", "part", models.CharField(blank=True, max_length=60)),
        migrations.RunPython(rename, migrations.RunPython.noop),
    ]
