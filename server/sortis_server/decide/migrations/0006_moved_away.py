"""Its models moved to another app; the tables stay as they are."""

from django.db import migrations


class Migration(migrations.Migration):
    dependencies = [
        ("decide", "0005_terms"),
        ("fit", "0005_moved_away"),
        ("orders", "0001_initial"),
    ]

    operations = [
        migrations.SeparateDatabaseAndState(
            state_operations=[
                migrations.DeleteModel(
                    name="Outcome",
                ),
            ]
        )
    ]
