import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [
        ("stock", "0007_acts"),
        ("arrive", "0001_initial"),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.CreateModel(
            name="Erasure",
            fields=[
                (
                    "id",
                    models.BigAutoField(
                        auto_created=True, primary_key=True, serialize=False, verbose_name="ID"
                    ),
                ),
                ("valid", models.BooleanField(default=True, editable=False, null=True)),
                ("taken_back_at", models.DateTimeField(null=True)),
                ("digest", models.CharField(max_length=64)),
                ("text", models.TextField()),
                ("report", models.JSONField()),
                ("at", models.DateTimeField(auto_now_add=True)),
                (
                    "act",
                    models.ForeignKey(
                        null=True,
                        on_delete=django.db.models.deletion.PROTECT,
                        related_name="erasures",
                        to="stock.act",
                    ),
                ),
                (
                    "by",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.PROTECT, to=settings.AUTH_USER_MODEL
                    ),
                ),
                (
                    "lot",
                    models.ForeignKey(
                        null=True,
                        on_delete=django.db.models.deletion.PROTECT,
                        related_name="erasures",
                        to="stock.lot",
                    ),
                ),
                (
                    "taken_back_by",
                    models.ForeignKey(
                        null=True,
                        on_delete=django.db.models.deletion.PROTECT,
                        related_name="+",
                        to=settings.AUTH_USER_MODEL,
                    ),
                ),
                (
                    "unit",
                    models.ForeignKey(
                        null=True,
                        on_delete=django.db.models.deletion.PROTECT,
                        related_name="erasures",
                        to="arrive.unit",
                    ),
                ),
            ],
            options={
                "constraints": [
                    models.UniqueConstraint(fields=("digest", "valid"), name="given_for_one_drive")
                ],
            },
        ),
    ]
