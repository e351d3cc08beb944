import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("rigs", "0006_frames"), ("machine", "0002_shelves")]

    operations = [
        migrations.AddField(
            model_name="rig",
            name="shelf",
            field=models.ForeignKey(
                null=True, on_delete=django.db.models.deletion.SET_NULL, related_name="rigs", to="machine.shelfplace"
            ),
        ),
    ]
