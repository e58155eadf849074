"""Each detail gets the name that its source had by the order of the details."""

import re

from django.db import migrations, models


def named(text, taken):
    stem = re.sub(r"[^a-z0-9]+", "_", text.lower()).strip("_")[:50] or "records"
    stem = stem if stem[0].isalpha() else f"t_{stem}"
    name, number = stem, 2
    while name in taken:
        name, number = f"{stem}_{number}", number + 1
    taken.add(name)
    return name


def name_all(apps, schema_editor):
    for form in apps.get_model("workshop", "Form").objects.select_related("dataset"):
        taken = set()
        named(form.dataset.table, taken)
        for detail in form.details.select_related("dataset").order_by("pk"):
            detail.name = named(detail.dataset.table or detail.dataset.name, taken)
            detail.save(update_fields=["name"])


class Migration(migrations.Migration):
    dependencies = [("workshop", "0014_start_page")]

    operations = [
        migrations.AddField("detail", "name", models.CharField(blank=True, default="", max_length=60), preserve_default=False),
        migrations.RunPython(name_all, migrations.RunPython.noop),
        migrations.AddConstraint("detail", models.UniqueConstraint(fields=["form", "name"], name="detail_name")),
    ]
