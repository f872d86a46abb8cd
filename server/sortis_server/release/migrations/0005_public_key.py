from django.db import migrations, models

import sortis_server.release.models


def forwards(apps, schema_editor):
    for row in apps.get_model("release", "Release").objects.filter(public_key=None):
        row.public_key = sortis_server.release.models.public_key()
        row.save(update_fields=["public_key"])


class Migration(migrations.Migration):
    dependencies = [("release", "0004_taken_back")]
    operations = [
        migrations.AddField(
            model_name="release",
            name="public_key",
            field=models.CharField(max_length=40, null=True),
        ),
        migrations.RunPython(forwards, migrations.RunPython.noop),
        migrations.AlterField(
            model_name="release",
            name="public_key",
            field=models.CharField(
                default=sortis_server.release.models.public_key, max_length=40, unique=True
            ),
        ),
    ]
