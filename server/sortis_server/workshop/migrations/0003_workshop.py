"""The workshop's own settings: name, currency, dates, tags, where arrivals go."""

from django.db import migrations, models


def as_before(apps, schema_editor):
    """A database with tags goes on with its prefix; what was a constant stays as it was."""
    series = apps.get_model("workshop", "TagSeries").objects.order_by("pk").first()
    if series:
        apps.get_model("workshop", "Workshop").objects.create(
            name="Workshop", tag_prefix=series.prefix, locale="en-GB", arrivals_place="shelf A-1"
        )


class Migration(migrations.Migration):
    dependencies = [("workshop", "0002_part_kinds_as_rows")]

    operations = [
        migrations.CreateModel(
            name="Workshop",
            fields=[
                (
                    "id",
                    models.BigAutoField(
                        auto_created=True, primary_key=True, serialize=False, verbose_name="ID"
                    ),
                ),
                ("name", models.CharField(default="Workshop", max_length=80)),
                ("currency", models.CharField(default="EUR", max_length=3)),
                ("locale", models.CharField(blank=True, max_length=20)),
                ("tag_prefix", models.CharField(default="WS", max_length=4)),
                ("arrivals_place", models.CharField(blank=True, max_length=60)),
            ],
        ),
        migrations.RunPython(as_before, migrations.RunPython.noop),
    ]
