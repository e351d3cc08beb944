from django.db import migrations, models

import reel.web.machine.models


class Migration(migrations.Migration):
    dependencies = [("machine", "0002_shelves")]

    operations = [
        # what was measured before is taken to be of the machine that brings the home up
        migrations.AddField(
            model_name="speed",
            name="machine",
            field=models.CharField(default=reel.web.machine.models.this_machine, max_length=120),
        ),
        migrations.RemoveConstraint(model_name="speed", name="one_speed_a_cell"),
        migrations.AddConstraint(
            model_name="speed",
            constraint=models.UniqueConstraint(
                fields=("machine", "codec", "choice", "width_px", "height_px"), name="one_speed_a_cell"
            ),
        ),
    ]
