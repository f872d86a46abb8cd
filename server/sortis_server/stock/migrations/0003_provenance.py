"""Lots say which unit they came out of, and how their drives were sanitised."""

import django.db.models.deletion
from django.db import migrations, models

OUT_OF = "out of "


def say_which_unit(apps, schema_editor):
    """Until now only the place of a lot named the unit, in words."""
    lots, units = apps.get_model("stock", "Lot"), apps.get_model("arrive", "Unit")
    for lot in lots.objects.filter(place__startswith=OUT_OF):
        lot.out_of = units.objects.filter(tag=lot.place.removeprefix(OUT_OF)).first()
        lot.save(update_fields=["out_of"])


class Migration(migrations.Migration):
    dependencies = [
        ("arrive", "0003_skill_minutes"),
        ("stock", "0002_purchases_to_order_and_price_breaks"),
    ]

    operations = [
        migrations.AddField(
            model_name="lot",
            name="out_of",
            field=models.ForeignKey(
                null=True,
                on_delete=django.db.models.deletion.PROTECT,
                related_name="harvested",
                to="arrive.unit",
            ),
        ),
        migrations.AddField(
            model_name="lot",
            name="record",
            field=models.CharField(blank=True, max_length=200),
        ),
        migrations.RunPython(say_which_unit, migrations.RunPython.noop),
    ]
