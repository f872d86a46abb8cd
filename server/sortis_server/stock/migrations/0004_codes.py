"""Words of the job are stored by their codes."""

from django.db import migrations

from sortis_server.recoding import recode


def codes(apps, schema_editor):
    """Documents and columns of stock, written anew."""
    recode(apps.get_model("stock", "PartKindRow"), {"document": ""})
    recode(
        apps.get_model("stock", "Lot"),
        columns={
            "condition": {
                "harvested, tested": "tested",
                "harvested, untested": "untested",
                "waiting for sanitising": "unsanitised",
            }
        },
    )
    recode(apps.get_model("stock", "Purchase"), columns={"state": {"to be ordered": "planned"}})


class Migration(migrations.Migration):
    dependencies = [("stock", "0003_provenance")]

    operations = [migrations.RunPython(codes, migrations.RunPython.noop)]
