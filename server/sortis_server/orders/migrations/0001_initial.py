"""What moved here from other apps; the tables stay as they are."""

import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):
    initial = True

    dependencies = [
        ("stock", "0005_terms"),
        ("workshop", "0001_initial"),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
        ("decide", "0005_terms"),
        ("fit", "0004_terms"),
        ("arrive", "0005_terms"),
    ]

    operations = [
        migrations.SeparateDatabaseAndState(
            state_operations=[
                migrations.CreateModel(
                    name="Outcome",
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
                        ("document", models.JSONField()),
                        ("woken_at", models.DateTimeField(null=True)),
                        (
                            "plan",
                            models.ForeignKey(
                                on_delete=django.db.models.deletion.PROTECT,
                                related_name="outcomes",
                                to="decide.planrow",
                            ),
                        ),
                        (
                            "unit",
                            models.ForeignKey(
                                on_delete=django.db.models.deletion.PROTECT,
                                related_name="outcomes",
                                to="arrive.unit",
                            ),
                        ),
                    ],
                    options={
                        "db_table": "decide_outcome",
                    },
                ),
                migrations.CreateModel(
                    name="WorkOrderRow",
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
                        ("document", models.JSONField()),
                        ("state", models.CharField(default="open", max_length=10)),
                        ("done_steps", models.PositiveIntegerField(default=0)),
                        ("version", models.PositiveIntegerField(default=1)),
                        ("words", models.CharField(blank=True, max_length=400)),
                        ("begun_at", models.DateTimeField(null=True)),
                        ("clock_from", models.DateTimeField(null=True)),
                        ("clock_carried", models.FloatField(default=0)),
                        ("clock_counts", models.BooleanField(default=True)),
                        ("left_open", models.JSONField(null=True)),
                        ("then", models.CharField(blank=True, max_length=20)),
                        (
                            "outcome",
                            models.OneToOneField(
                                on_delete=django.db.models.deletion.PROTECT, to="orders.outcome"
                            ),
                        ),
                        (
                            "unit",
                            models.ForeignKey(
                                on_delete=django.db.models.deletion.PROTECT,
                                related_name="orders",
                                to="arrive.unit",
                            ),
                        ),
                        (
                            "worker",
                            models.ForeignKey(
                                null=True,
                                on_delete=django.db.models.deletion.PROTECT,
                                related_name="at_bench",
                                to=settings.AUTH_USER_MODEL,
                            ),
                        ),
                    ],
                    options={
                        "db_table": "fit_workorderrow",
                    },
                ),
                migrations.CreateModel(
                    name="SurpriseRow",
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
                        ("step", models.PositiveIntegerField()),
                        ("kind", models.CharField(max_length=40)),
                        ("place", models.CharField(blank=True, max_length=40)),
                        ("entry", models.CharField(blank=True, max_length=60)),
                        ("words", models.CharField(blank=True, max_length=400)),
                        ("advice", models.CharField(max_length=30)),
                        ("sentence", models.CharField(max_length=600)),
                        ("at", models.DateTimeField(auto_now_add=True)),
                        (
                            "by",
                            models.ForeignKey(
                                on_delete=django.db.models.deletion.PROTECT,
                                to=settings.AUTH_USER_MODEL,
                            ),
                        ),
                        (
                            "order",
                            models.ForeignKey(
                                on_delete=django.db.models.deletion.PROTECT,
                                related_name="surprises",
                                to="orders.workorderrow",
                            ),
                        ),
                    ],
                    options={
                        "db_table": "fit_surpriserow",
                    },
                ),
                migrations.CreateModel(
                    name="StepLog",
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
                        ("step", models.PositiveIntegerField()),
                        ("what", models.CharField(max_length=10)),
                        ("key", models.CharField(blank=True, max_length=60)),
                        ("seconds", models.FloatField(null=True)),
                        ("sheet_minutes", models.FloatField(null=True)),
                        ("token", models.CharField(blank=True, db_index=True, max_length=40)),
                        ("at", models.DateTimeField(auto_now_add=True)),
                        (
                            "by",
                            models.ForeignKey(
                                on_delete=django.db.models.deletion.PROTECT,
                                to=settings.AUTH_USER_MODEL,
                            ),
                        ),
                        (
                            "order",
                            models.ForeignKey(
                                on_delete=django.db.models.deletion.PROTECT,
                                related_name="log",
                                to="orders.workorderrow",
                            ),
                        ),
                    ],
                    options={
                        "db_table": "fit_steplog",
                    },
                ),
                migrations.CreateModel(
                    name="Reservation",
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
                        ("place", models.CharField(max_length=40)),
                        ("taken", models.BooleanField(default=False)),
                        (
                            "confirmed_by",
                            models.ForeignKey(
                                null=True,
                                on_delete=django.db.models.deletion.PROTECT,
                                to=settings.AUTH_USER_MODEL,
                            ),
                        ),
                        (
                            "giver",
                            models.ForeignKey(
                                null=True,
                                on_delete=django.db.models.deletion.PROTECT,
                                related_name="gives",
                                to="arrive.unit",
                            ),
                        ),
                        (
                            "kind",
                            models.ForeignKey(
                                on_delete=django.db.models.deletion.PROTECT,
                                to="workshop.partkindrow",
                            ),
                        ),
                        (
                            "lot",
                            models.ForeignKey(
                                null=True,
                                on_delete=django.db.models.deletion.PROTECT,
                                to="stock.lot",
                            ),
                        ),
                        (
                            "purchase",
                            models.ForeignKey(
                                null=True,
                                on_delete=django.db.models.deletion.PROTECT,
                                to="stock.purchase",
                            ),
                        ),
                        (
                            "order",
                            models.ForeignKey(
                                on_delete=django.db.models.deletion.PROTECT,
                                related_name="reservations",
                                to="orders.workorderrow",
                            ),
                        ),
                    ],
                    options={
                        "db_table": "fit_reservation",
                    },
                ),
                migrations.AddConstraint(
                    model_name="outcome",
                    constraint=models.UniqueConstraint(
                        fields=("unit", "plan"), name="outcome_once"
                    ),
                ),
                migrations.AddConstraint(
                    model_name="reservation",
                    constraint=models.UniqueConstraint(
                        fields=("order", "place"), name="one_part_a_place"
                    ),
                ),
            ]
        )
    ]
