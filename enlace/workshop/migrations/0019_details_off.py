from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("workshop", "0018_definitions_stand")]

    operations = [
        migrations.AddField(model_name="detail", name="off", field=models.BooleanField(default=False)),
        migrations.AddField(model_name="formstep", name="details", field=models.JSONField(null=True)),
    ]
