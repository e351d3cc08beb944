"""A rig has several inputs, each with a play of its own."""

from django.db import migrations, models

from reel.core.errors import ReelError
from reel.web.setups import setup_from_2


def bring_up(apps, schema_editor):
    for rig in apps.get_model("rigs", "Rig").objects.all():
        if not isinstance(rig.setup, dict) or rig.setup.get("version") != 2:
            continue
        try:
            setup = setup_from_2({key: value for key, value in rig.setup.items() if key != "version"})
        except ReelError:
            continue  # it is shown as one that can't be read
        rig.setup, rig.plays = {"version": 3, **setup}, [rig.play]
        rig.save(update_fields=["setup", "plays"])


class Migration(migrations.Migration):
    dependencies = [("rigs", "0004_origin_and_play")]

    operations = [
        migrations.AddField(model_name="rig", name="plays", field=models.JSONField(default=list)),
        migrations.RunPython(bring_up, migrations.RunPython.noop),
        migrations.RemoveField(model_name="rig", name="play"),
    ]
