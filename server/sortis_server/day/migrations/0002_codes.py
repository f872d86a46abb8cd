"""Words of the job are stored by their codes."""

from django.db import migrations

from sortis_server.recoding import recode


def codes(apps, schema_editor):
    """Documents and columns of day, written anew."""
    recode(apps.get_model("day", "DayPlanRow"), {"case": "day-case", "plan": "day-plan"})
    skills = {"board work": "board", "setting up": "setup"}
    for hours in apps.get_model("day", "BenchHours").objects.all():
        hours.skills = [skills.get(skill, skill) for skill in hours.skills]
        hours.save(update_fields=["skills"])


class Migration(migrations.Migration):
    dependencies = [("day", "0001_hours_and_day_plans")]

    operations = [migrations.RunPython(codes, migrations.RunPython.noop)]
