"""How drives left is noted; of those before it stood in the reason."""

from django.db import migrations, models


def noted(apps, schema_editor):
    """Drives that were not sanitised were destroyed: nothing else could be said then."""
    movements = apps.get_model("stock", "Movement").objects
    movements.filter(reason__startswith="sanitised, bad").update(drive_end="destroyed")


class Migration(migrations.Migration):
    dependencies = [("stock", "0008_erasures")]

    operations = [
        migrations.AddField(
            model_name="movement",
            name="drive_end",
            field=models.CharField(blank=True, max_length=10),
        ),
        migrations.RunPython(noted, migrations.RunPython.noop),
    ]
