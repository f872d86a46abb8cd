from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("release", "0006_waivers")]

    operations = [
        migrations.AlterField(
            model_name="gatesignature",
            name="words",
            field=models.CharField(max_length=1000),
        ),
    ]
