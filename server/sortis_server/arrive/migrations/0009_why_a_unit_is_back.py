from django.db import migrations, models

BACK = ("came back: ", "Not as written: ")


def out_of_the_notes(apps, schema_editor):
    """Why a unit is back stood in front of what its list had noted, or in place of it."""
    for unit in apps.get_model("arrive", "Unit").objects.exclude(notes=""):
        why, _, noted = unit.notes.partition("; ")
        if unit.notes.startswith(BACK):
            unit.back_for, unit.notes = why, noted
            unit.save(update_fields=["back_for", "notes"])


class Migration(migrations.Migration):
    dependencies = [("arrive", "0008_mended_rows")]

    operations = [
        migrations.AddField(
            model_name="unit",
            name="back_for",
            field=models.CharField(blank=True, default="", max_length=200),
            preserve_default=False,
        ),
        migrations.RunPython(out_of_the_notes, migrations.RunPython.noop),
    ]
