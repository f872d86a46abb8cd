"""Part kinds are rows; tables take the names of their app."""

from django.db import migrations, models

MOVED = ("Benches", "BenchHours", "OfferRow", "PartKindRow", "StandardVersion", "TagSeries")


def from_documents(apps, schema_editor):
    """What the documents said, in columns."""
    for row in apps.get_model("workshop", "PartKindRow").objects.all():
        said = row.document
        row.label, row.facts = said["label"][:120], said["facts"]
        row.harvest_value_cents = said.get("harvest_value_cents", 0)
        row.stream, row.grams = said.get("stream") or "", said.get("grams", 0)
        row.save()


class Migration(migrations.Migration):
    dependencies = [
        ("workshop", "0001_initial"),
        ("orders", "0001_initial"),
        ("stock", "0006_moved_away"),
        ("sheets", "0004_moved_away"),
        ("day", "0003_moved_away"),
        ("arrive", "0006_moved_away"),
    ]

    operations = [
        *(migrations.AlterModelTable(name=name, table=None) for name in MOVED),
        migrations.AddField(
            model_name="partkindrow",
            name="label",
            field=models.CharField(default="", max_length=120),
            preserve_default=False,
        ),
        migrations.AddField(
            model_name="partkindrow",
            name="facts",
            field=models.JSONField(default=dict),
            preserve_default=False,
        ),
        migrations.AddField(
            model_name="partkindrow",
            name="harvest_value_cents",
            field=models.PositiveIntegerField(default=0),
        ),
        migrations.AddField(
            model_name="partkindrow",
            name="stream",
            field=models.CharField(blank=True, max_length=20),
        ),
        migrations.AddField(
            model_name="partkindrow",
            name="grams",
            field=models.PositiveIntegerField(default=0),
        ),
        migrations.RunPython(from_documents, migrations.RunPython.noop),
        migrations.RemoveField(model_name="partkindrow", name="document"),
    ]
