"""Its models moved to another app; the tables stay as they are."""

from django.db import migrations


class Migration(migrations.Migration):
    dependencies = [
        ("fit", "0004_terms"),
        ("orders", "0001_initial"),
    ]

    operations = [
        migrations.SeparateDatabaseAndState(
            state_operations=[
                migrations.RemoveField(
                    model_name="steplog",
                    name="by",
                ),
                migrations.RemoveField(
                    model_name="steplog",
                    name="order",
                ),
                migrations.RemoveField(
                    model_name="surpriserow",
                    name="by",
                ),
                migrations.RemoveField(
                    model_name="surpriserow",
                    name="order",
                ),
                migrations.RemoveField(
                    model_name="workorderrow",
                    name="outcome",
                ),
                migrations.RemoveField(
                    model_name="workorderrow",
                    name="unit",
                ),
                migrations.RemoveField(
                    model_name="workorderrow",
                    name="worker",
                ),
                migrations.DeleteModel(
                    name="Reservation",
                ),
                migrations.DeleteModel(
                    name="StepLog",
                ),
                migrations.DeleteModel(
                    name="SurpriseRow",
                ),
                migrations.DeleteModel(
                    name="WorkOrderRow",
                ),
            ]
        )
    ]
