"""What a kept view asks for is a value of its own, and no longer the text of an address."""

from urllib.parse import parse_qs

from django.db import migrations, models

from enlace.core.problem import Problem
from enlace.core.view import Asked
from enlace.desk.addresses import asked_in, view_text


def read(apps, schema_editor):
    for view in apps.get_model("desk", "KeptView").objects.all():
        try:
            view.asked = asked_in(parse_qs(view.query, max_num_fields=200)).kept()
        except (Problem, ValueError):
            continue  # conditions that nobody could read any more: it shows all rows
        view.save(update_fields=["asked"])


def write(apps, schema_editor):
    for view in apps.get_model("desk", "KeptView").objects.all():
        view.query = view_text(Asked.of(view.asked))
        view.save(update_fields=["query"])


class Migration(migrations.Migration):
    dependencies = [("desk", "0018_shared_arrangement")]
    operations = [
        migrations.AddField("keptview", "asked", models.JSONField(default=dict)),
        # With a default, so that the way back has something to begin with.
        migrations.AlterField("keptview", "query", models.TextField(default="")),
        migrations.RunPython(read, write),
        migrations.RemoveField("keptview", "query"),
    ]
