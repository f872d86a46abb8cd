"""Words of the job are stored by their codes."""

from django.db import migrations

from sortis_server.recoding import recode


def codes(apps, schema_editor):
    """Documents and columns of arrive, written anew."""
    recode(apps.get_model("arrive", "Batch"), {"policy": "policy"})
    recode(apps.get_model("arrive", "Unit"), columns={"stage": {"parted out": "parted"}})
    recode(apps.get_model("arrive", "ExtraCount"), columns={"kind": {"loose pack": "pack"}})
    skills = {"board work": "board", "setting up": "setup"}
    for batch in apps.get_model("arrive", "Batch").objects.all():
        limits = batch.skill_minutes.items()
        batch.skill_minutes = {skills.get(skill, skill): minutes for skill, minutes in limits}
        batch.save(update_fields=["skill_minutes"])
    for row in apps.get_model("arrive", "ManifestImport").objects.exclude(columns={}):
        columns = row.columns.items()
        row.columns = {field.replace("comes with", "comes_with"): n for field, n in columns}
        row.save(update_fields=["columns"])
    for source in apps.get_model("arrive", "SourceMemory").objects.exclude(headers={}):
        said = source.headers.items()
        source.headers = {head: field.replace("comes with", "comes_with") for head, field in said}
        source.save(update_fields=["headers"])


class Migration(migrations.Migration):
    dependencies = [("arrive", "0003_skill_minutes")]

    operations = [migrations.RunPython(codes, migrations.RunPython.noop)]
