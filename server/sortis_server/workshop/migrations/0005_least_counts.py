from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("workshop", "0004_settings")]

    operations = [
        migrations.AddField(
            model_name="partkindrow",
            name="least",
            field=models.PositiveIntegerField(default=0),
        ),
    ]
