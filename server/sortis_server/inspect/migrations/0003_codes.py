"""Words of the job are stored by their codes."""

from django.db import migrations

from sortis_core.documents import HAZARDS
from sortis_server.recoding import recode


def codes(apps, schema_editor):
    """Documents and columns of inspect, written anew."""
    recode(apps.get_model("inspection", "Inspection"), {"findings": "findings"})
    recode(apps.get_model("inspection", "ReadOutRow"), {"document": "readout"})
    recode(apps.get_model("inspection", "Hazard"), columns={"kind": HAZARDS})


class Migration(migrations.Migration):
    dependencies = [("inspection", "0002_readouts_and_photos")]

    operations = [migrations.RunPython(codes, migrations.RunPython.noop)]
