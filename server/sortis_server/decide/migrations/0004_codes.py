"""Words of the job are stored by their codes."""

from django.db import migrations

from sortis_server.recoding import recode


def codes(apps, schema_editor):
    """Documents and columns of decide, written anew."""
    recode(apps.get_model("decide", "PlanRow"), {"case": "case", "plan": "plan"})
    recode(apps.get_model("decide", "Outcome"), {"document": ""})
    recode(apps.get_model("decide", "UnitPin"), columns={"outcome": {"release as is": "release"}})
    for pin in apps.get_model("decide", "UnitPin").objects.filter(
        option__startswith="release as is"
    ):
        pin.option = pin.option.replace("release as is", "release", 1)
        pin.save(update_fields=["option"])


class Migration(migrations.Migration):
    dependencies = [("decide", "0003_plan_cause")]

    operations = [migrations.RunPython(codes, migrations.RunPython.noop)]
