from django.db import migrations, models
from django.utils import timezone


def begin_terms(apps, schema_editor) -> None:
    """When pictures were taken off before, nobody wrote down: their term begins now."""
    photos = apps.get_model("inspection", "Photo").objects
    photos.filter(removed=True).update(removed_at=timezone.now())


class Migration(migrations.Migration):
    dependencies = [("inspection", "0005_shown_pictures")]

    operations = [
        migrations.AddField(
            model_name="photo",
            name="removed_at",
            field=models.DateTimeField(null=True),
        ),
        migrations.RunPython(begin_terms, migrations.RunPython.noop),
    ]
