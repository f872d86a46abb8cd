"""Words of the job are stored by their codes."""

from django.db import migrations

from sortis_server.recoding import recode


def codes(apps, schema_editor):
    """Documents and columns of release, written anew."""
    recode(apps.get_model("release", "Release"), {"gates": ""})
    gates = {"closing: clock set": "closing: clock_set"}
    gates["closing: cover closed flush"] = "closing: closed_flush"
    recode(apps.get_model("release", "GateSignature"), columns={"gate": gates})


class Migration(migrations.Migration):
    dependencies = [("release", "0002_signed_about")]

    operations = [migrations.RunPython(codes, migrations.RunPython.noop)]
