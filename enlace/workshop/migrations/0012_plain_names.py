from django.db import migrations


class Migration(migrations.Migration):
    dependencies = [("workshop", "0011_members")]

    operations = [
        migrations.RenameField("field", "knows", "text_check"),
        migrations.RenameField("field", "tones", "conditional_formats"),
        migrations.RenameField("dataset", "only", "row_condition"),
    ]
