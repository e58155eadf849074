from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("workshop", "0019_details_off")]

    operations = [
        migrations.AddField(model_name="project", name="about", field=models.CharField(blank=True, max_length=200)),
        migrations.AddField(model_name="project", name="opens", field=models.CharField(blank=True, max_length=120)),
    ]
