"""Takes may lie on the storage of the device that made them."""

from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("takes", "0002_interrupted")]

    operations = [
        migrations.AddField(model_name="take", name="on_device", field=models.CharField(blank=True, max_length=12)),
    ]
