"""Words of the job are stored by their codes."""

from django.db import migrations

from sortis_server.recoding import recode


def codes(apps, schema_editor):
    """Documents and columns of fit, written anew."""
    recode(apps.get_model("fit", "WorkOrderRow"), {"document": "work-order", "left_open": ""})
    recode(
        apps.get_model("fit", "SurpriseRow"),
        columns={
            "kind": {
                "screw stripped or missing": "screw",
                "what sits there differs": "differs",
                "slot or socket dead": "dead",
                "something in the unit broke": "broke",
                "the part to fit is wrong or broken": "new_part",
                "pack swollen or damaged": "swollen",
                "started up by itself": "lit",
            },
            "advice": {
                "go on": "go_on",
                "go on, with other work": "change",
                "stop at once": "danger",
            },
        },
    )


class Migration(migrations.Migration):
    dependencies = [("fit", "0002_bench_clock_and_surprises")]

    operations = [migrations.RunPython(codes, migrations.RunPython.noop)]
