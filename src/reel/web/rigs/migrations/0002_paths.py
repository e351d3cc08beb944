"""Rigs get ticked checks."""

from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("rigs", "0001_initial")]

    operations = [migrations.AddField(model_name="rig", name="ticked", field=models.JSONField(default=list))]
