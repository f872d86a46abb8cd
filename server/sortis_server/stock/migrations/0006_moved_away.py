"""Its models moved to another app; the tables stay as they are."""

import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [
        ("fit", "0005_moved_away"),
        ("stock", "0005_terms"),
        ("workshop", "0001_initial"),
        ("fit", "0004_terms"),
    ]

    operations = [
        migrations.SeparateDatabaseAndState(
            state_operations=[
                migrations.AlterField(
                    model_name="purchase",
                    name="offer",
                    field=models.ForeignKey(
                        on_delete=django.db.models.deletion.PROTECT, to="workshop.offerrow"
                    ),
                ),
                migrations.AlterField(
                    model_name="lot",
                    name="kind",
                    field=models.ForeignKey(
                        on_delete=django.db.models.deletion.PROTECT,
                        related_name="lots",
                        to="workshop.partkindrow",
                    ),
                ),
                migrations.DeleteModel(
                    name="OfferRow",
                ),
                migrations.DeleteModel(
                    name="PartKindRow",
                ),
            ]
        )
    ]
