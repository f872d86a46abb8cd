from django.db import migrations, models

RETURNED, STOPPED = "came back: ", "Not as written: "


def out_of_the_notes(apps, schema_editor):
    """What a buyer said stood in front of what the list had noted, a surprise in place of it."""
    units = apps.get_model("arrive", "Unit").objects
    for unit in units.filter(notes__startswith=RETURNED):
        unit.back_for, _, unit.notes = unit.notes.partition("; ")
        unit.save(update_fields=["back_for", "notes"])
    for unit in units.filter(notes__startswith=STOPPED):
        unit.back_for, unit.notes = unit.notes, ""
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
