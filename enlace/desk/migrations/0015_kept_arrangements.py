"""Totals become a part of how a grid is arranged; arrangements are kept under names, and for everybody."""

import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models


def totals_to_arrangements(apps, schema_editor):
    """Totals that a person chose for a part stand in the arrangement of its first grid from now on."""
    arrangements = apps.get_model("desk", "Arrangement").objects
    for total in apps.get_model("desk", "WantedTotal").objects.order_by("pk"):
        place = {"person_id": total.person_id, "form_id": total.form_id, "part": total.part, "grid": "", "name": ""}
        kept, _ = arrangements.get_or_create(**place)
        kept.totals = [*kept.totals, [total.field, total.function]]
        kept.save(update_fields=["totals"])


class Migration(migrations.Migration):
    dependencies = [
        ("desk", "0014_row_lines"),
        ("workshop", "0017_query_runs"),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.AlterModelOptions(
            name="arrangement",
            options={"ordering": ["name", "pk"]},
        ),
        migrations.RemoveConstraint(
            model_name="arrangement",
            name="one_arrangement",
        ),
        migrations.AddField(
            model_name="arrangement",
            name="merged",
            field=models.BooleanField(default=False),
        ),
        migrations.AddField(
            model_name="arrangement",
            name="name",
            field=models.CharField(blank=True, default="", max_length=60),
        ),
        migrations.AddField(
            model_name="arrangement",
            name="totals",
            field=models.JSONField(default=list),
        ),
        migrations.AlterField(
            model_name="arrangement",
            name="person",
            field=models.ForeignKey(
                null=True,
                on_delete=django.db.models.deletion.CASCADE,
                related_name="arrangements",
                to=settings.AUTH_USER_MODEL,
            ),
        ),
        migrations.AddConstraint(
            model_name="arrangement",
            constraint=models.UniqueConstraint(
                fields=("person", "form", "part", "grid", "name"), name="one_arrangement"
            ),
        ),
        migrations.AddConstraint(
            model_name="arrangement",
            constraint=models.UniqueConstraint(
                condition=models.Q(("person", None)),
                fields=("form", "part", "grid", "name"),
                name="one_arrangement_for_all",
            ),
        ),
        migrations.RunPython(totals_to_arrangements, migrations.RunPython.noop),
        migrations.DeleteModel(
            name="WantedTotal",
        ),
    ]
