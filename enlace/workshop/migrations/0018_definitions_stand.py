from django.db import migrations, models

from enlace.workshop.definitions import unwatch_definitions, watch_definitions


class Migration(migrations.Migration):
    dependencies = [("workshop", "0017_query_runs")]

    operations = [
        migrations.CreateModel(
            name="DefinitionsStand",
            fields=[
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("number", models.BigIntegerField()),
            ],
        ),
        # Triggers that name a table go before it does.
        migrations.RunPython(
            lambda apps, editor: watch_definitions(editor.connection.alias),
            lambda apps, editor: unwatch_definitions(editor.connection.alias),
        ),
    ]
