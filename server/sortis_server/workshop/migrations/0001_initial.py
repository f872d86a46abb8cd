"""What moved here from other apps; the tables stay as they are."""

import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):
    initial = True

    dependencies = [
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
        ("stock", "0005_terms"),
        ("sheets", "0003_codes"),
        ("arrive", "0005_terms"),
        ("day", "0002_codes"),
        ("fit", "0004_terms"),
    ]

    operations = [
        migrations.SeparateDatabaseAndState(
            state_operations=[
                migrations.CreateModel(
                    name="Benches",
                    fields=[
                        (
                            "id",
                            models.BigAutoField(
                                auto_created=True,
                                primary_key=True,
                                serialize=False,
                                verbose_name="ID",
                            ),
                        ),
                        ("count", models.PositiveIntegerField(default=2)),
                    ],
                    options={
                        "db_table": "day_benches",
                    },
                ),
                migrations.CreateModel(
                    name="PartKindRow",
                    fields=[
                        (
                            "id",
                            models.BigAutoField(
                                auto_created=True,
                                primary_key=True,
                                serialize=False,
                                verbose_name="ID",
                            ),
                        ),
                        ("key", models.CharField(max_length=60, unique=True)),
                        ("document", models.JSONField()),
                    ],
                    options={
                        "db_table": "stock_partkindrow",
                    },
                ),
                migrations.CreateModel(
                    name="TagSeries",
                    fields=[
                        (
                            "id",
                            models.BigAutoField(
                                auto_created=True,
                                primary_key=True,
                                serialize=False,
                                verbose_name="ID",
                            ),
                        ),
                        ("prefix", models.CharField(max_length=4, unique=True)),
                        ("next_number", models.PositiveIntegerField()),
                    ],
                    options={
                        "db_table": "arrive_tagseries",
                    },
                ),
                migrations.CreateModel(
                    name="BenchHours",
                    fields=[
                        (
                            "id",
                            models.BigAutoField(
                                auto_created=True,
                                primary_key=True,
                                serialize=False,
                                verbose_name="ID",
                            ),
                        ),
                        ("skills", models.JSONField(default=list)),
                        ("hours", models.JSONField(default=dict)),
                        ("version", models.PositiveIntegerField(default=1)),
                        (
                            "person",
                            models.OneToOneField(
                                on_delete=django.db.models.deletion.CASCADE,
                                related_name="bench_hours",
                                to=settings.AUTH_USER_MODEL,
                            ),
                        ),
                    ],
                    options={
                        "db_table": "day_benchhours",
                    },
                ),
                migrations.CreateModel(
                    name="StandardVersion",
                    fields=[
                        (
                            "id",
                            models.BigAutoField(
                                auto_created=True,
                                primary_key=True,
                                serialize=False,
                                verbose_name="ID",
                            ),
                        ),
                        ("key", models.CharField(max_length=60)),
                        ("version", models.PositiveIntegerField()),
                        ("document", models.JSONField()),
                        ("at", models.DateTimeField(auto_now_add=True)),
                    ],
                    options={
                        "db_table": "sheets_standardversion",
                        "constraints": [
                            models.UniqueConstraint(
                                fields=("key", "version"), name="standard_version"
                            )
                        ],
                    },
                ),
                migrations.CreateModel(
                    name="OfferRow",
                    fields=[
                        (
                            "id",
                            models.BigAutoField(
                                auto_created=True,
                                primary_key=True,
                                serialize=False,
                                verbose_name="ID",
                            ),
                        ),
                        ("article", models.CharField(blank=True, max_length=60)),
                        ("supplier", models.CharField(max_length=80)),
                        ("price_cents", models.PositiveIntegerField()),
                        ("limit", models.IntegerField()),
                        ("days", models.PositiveIntegerField()),
                        ("pack_size", models.PositiveIntegerField(default=1)),
                        ("breaks", models.JSONField(default=list)),
                        ("quoted_at", models.DateTimeField(auto_now=True)),
                        (
                            "kind",
                            models.ForeignKey(
                                on_delete=django.db.models.deletion.PROTECT,
                                related_name="offers",
                                to="workshop.partkindrow",
                            ),
                        ),
                    ],
                    options={
                        "db_table": "stock_offerrow",
                        "constraints": [
                            models.CheckConstraint(
                                condition=models.Q(("limit__gte", 0)), name="offer_not_overdrawn"
                            )
                        ],
                    },
                ),
            ]
        )
    ]
