"""Its models moved to another app; the tables stay as they are."""

from django.db import migrations


class Migration(migrations.Migration):
    dependencies = [
        ("sheets", "0003_codes"),
        ("workshop", "0001_initial"),
    ]

    operations = [
        migrations.SeparateDatabaseAndState(
            state_operations=[
                migrations.DeleteModel(
                    name="StandardVersion",
                ),
            ]
        )
    ]
