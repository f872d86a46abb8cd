import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("sell", "0002_market_orders"), ("decide", "0007_pin_changes")]

    operations = [
        migrations.AddField(
            model_name="sale",
            name="customer_order",
            field=models.ForeignKey(
                null=True,
                on_delete=django.db.models.deletion.SET_NULL,
                related_name="sales",
                to="decide.customerorder",
            ),
        ),
    ]
