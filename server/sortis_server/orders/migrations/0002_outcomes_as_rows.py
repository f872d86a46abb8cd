"""Outcomes are rows; a promise has exactly one source, a unit one open order at most."""

import django.db.models.deletion
from django.db import migrations, models
from django.db.models import Q

MOVED = ("Outcome", "WorkOrderRow", "Reservation", "StepLog", "SurpriseRow")
SAME = (
    "outcome",
    "standard",
    "group",
    "actions",
    "minutes",
    "skills",
    "price_cents",
    "parts_cents",
    "gives_cents",
    "labour_cents",
    "fees_cents",
    "contribution_cents",
    "pinned",
    "waits_for",
    "runner_up",
    "loss_cents",
    "reason",
)


def from_documents(apps, schema_editor):
    """What the documents said, in columns."""
    for row in apps.get_model("orders", "Outcome").objects.all().iterator(chunk_size=200):
        for name in SAME:
            if name in row.document:
                setattr(row, name, row.document[name])
        row.order_key = row.document.get("order", "")
        row.save()


def one_source(apps, schema_editor):
    """A part that lies in a lot comes from there, wherever it was before."""
    promises = apps.get_model("orders", "Reservation").objects
    promises.filter(lot__isnull=False).update(purchase=None, giver=None)
    promises.filter(purchase__isnull=False).update(giver=None)
    promises.filter(lot=None, purchase=None, giver=None).update(lost=True)


def open_orders(apps, schema_editor):
    """Open orders name their unit; of several the newest stays open."""
    orders = apps.get_model("orders", "WorkOrderRow").objects
    taken = set()
    for order in orders.filter(state="open").order_by("-pk"):
        if order.unit_id in taken:
            order.state, order.words = "stopped", "A newer order of the unit was open."
        else:
            order.open_unit_id = order.unit_id
            taken.add(order.unit_id)
        order.save()


class Migration(migrations.Migration):
    dependencies = [
        ("orders", "0001_initial"),
        ("fit", "0005_moved_away"),
        ("decide", "0006_moved_away"),
        ("workshop", "0002_part_kinds_as_rows"),
    ]

    operations = [
        *(migrations.AlterModelTable(name=name, table=None) for name in MOVED),
        migrations.AddField(
            model_name="outcome",
            name="outcome",
            field=models.CharField(default="hold", max_length=10),
            preserve_default=False,
        ),
        migrations.AddField(
            model_name="outcome",
            name="standard",
            field=models.CharField(blank=True, default="", max_length=60),
            preserve_default=False,
        ),
        migrations.AddField(
            model_name="outcome",
            name="group",
            field=models.PositiveIntegerField(default=0),
        ),
        migrations.AddField(
            model_name="outcome",
            name="actions",
            field=models.JSONField(default=list),
        ),
        migrations.AddField(
            model_name="outcome",
            name="minutes",
            field=models.FloatField(default=0),
        ),
        migrations.AddField(
            model_name="outcome",
            name="skills",
            field=models.JSONField(default=list),
        ),
        migrations.AddField(
            model_name="outcome",
            name="price_cents",
            field=models.IntegerField(default=0),
        ),
        migrations.AddField(
            model_name="outcome",
            name="parts_cents",
            field=models.IntegerField(default=0),
        ),
        migrations.AddField(
            model_name="outcome",
            name="gives_cents",
            field=models.IntegerField(default=0),
        ),
        migrations.AddField(
            model_name="outcome",
            name="labour_cents",
            field=models.IntegerField(default=0),
        ),
        migrations.AddField(
            model_name="outcome",
            name="fees_cents",
            field=models.IntegerField(default=0),
        ),
        migrations.AddField(
            model_name="outcome",
            name="contribution_cents",
            field=models.IntegerField(default=0),
        ),
        migrations.AddField(
            model_name="outcome",
            name="order_key",
            field=models.CharField(blank=True, default="", max_length=40),
            preserve_default=False,
        ),
        migrations.AddField(
            model_name="outcome",
            name="pinned",
            field=models.BooleanField(default=False),
        ),
        migrations.AddField(
            model_name="outcome",
            name="waits_for",
            field=models.JSONField(default=list),
        ),
        migrations.AddField(
            model_name="outcome",
            name="runner_up",
            field=models.CharField(blank=True, default="", max_length=400),
            preserve_default=False,
        ),
        migrations.AddField(
            model_name="outcome",
            name="loss_cents",
            field=models.IntegerField(default=0),
        ),
        migrations.AddField(
            model_name="outcome",
            name="reason",
            field=models.TextField(blank=True, default=""),
            preserve_default=False,
        ),
        migrations.RunPython(from_documents, migrations.RunPython.noop),
        migrations.RemoveField(model_name="outcome", name="document"),
        migrations.AddField(
            model_name="reservation",
            name="lost",
            field=models.BooleanField(default=False),
        ),
        migrations.RunPython(one_source, migrations.RunPython.noop),
        migrations.AddConstraint(
            model_name="reservation",
            constraint=models.CheckConstraint(
                condition=Q(lost=True, lot=None, purchase=None, giver=None)
                | Q(lost=False, lot__isnull=False, purchase=None, giver=None)
                | Q(lost=False, lot=None, purchase__isnull=False, giver=None)
                | Q(lost=False, lot=None, purchase=None, giver__isnull=False),
                name="exactly_one_source",
            ),
        ),
        migrations.AddField(
            model_name="workorderrow",
            name="open_unit",
            field=models.OneToOneField(
                editable=False,
                null=True,
                on_delete=django.db.models.deletion.PROTECT,
                related_name="open_order",
                to="arrive.unit",
            ),
        ),
        migrations.RunPython(open_orders, migrations.RunPython.noop),
        migrations.AddConstraint(
            model_name="workorderrow",
            constraint=models.CheckConstraint(
                condition=Q(state="open", open_unit__isnull=False)
                | (~Q(state="open") & Q(open_unit__isnull=True)),
                name="one_open_order_a_unit",
            ),
        ),
    ]
