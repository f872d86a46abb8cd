"""Words of the job are stored by their codes."""

from django.db import migrations

from sortis_server.recoding import recode


def codes(apps, schema_editor):
    """Documents and columns of sheets, written anew."""
    recode(apps.get_model("sheets", "SheetVersion"), {"document": "sheet"})
    recode(apps.get_model("sheets", "StandardVersion"), {"document": "standard"})


class Migration(migrations.Migration):
    dependencies = [("sheets", "0002_sheet_writers")]

    operations = [migrations.RunPython(codes, migrations.RunPython.noop)]
