import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models


def forwards(apps, schema_editor):
    old = apps.get_model("workshop", "Workshop").objects.first()
    if old is None:
        return
    apps.get_model("workshop", "WorkshopVersion").objects.create(
        key="workshop",
        version=1,
        document={
            "format": "sortis-workshop-4",
            "name": old.name,
            "currency": old.currency,
            "locale": old.locale,
            "tag_prefix": old.tag_prefix,
            "arrivals_place": old.arrivals_place,
        },
    )


class Migration(migrations.Migration):
    dependencies = [
        ("workshop", "0003_workshop"),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]
    operations = [
        migrations.CreateModel(
            name="WorkshopVersion",
            fields=[
                (
                    "id",
                    models.BigAutoField(
                        auto_created=True, primary_key=True, serialize=False, verbose_name="ID"
                    ),
                ),
                ("key", models.CharField(max_length=60)),
                ("version", models.PositiveIntegerField()),
                ("document", models.JSONField()),
                ("at", models.DateTimeField(auto_now_add=True)),
                ("words", models.CharField(blank=True, max_length=200)),
                (
                    "by",
                    models.ForeignKey(
                        null=True,
                        on_delete=django.db.models.deletion.PROTECT,
                        to=settings.AUTH_USER_MODEL,
                    ),
                ),
            ],
        ),
        migrations.AddConstraint(
            model_name="workshopversion",
            constraint=models.UniqueConstraint(fields=("key", "version"), name="workshop_version"),
        ),
        migrations.AddField(
            model_name="standardversion",
            name="by",
            field=models.ForeignKey(
                null=True, on_delete=django.db.models.deletion.PROTECT, to=settings.AUTH_USER_MODEL
            ),
        ),
        migrations.AddField(
            model_name="standardversion",
            name="words",
            field=models.CharField(blank=True, max_length=200),
        ),
        migrations.RunPython(forwards, migrations.RunPython.noop),
        migrations.DeleteModel(name="Workshop"),
    ]
