"""Rigs keep how their stand-ins play apart from what is set, and setups carry a version."""

from django.db import migrations, models

from reel.core.errors import ReelError
from reel.core.line import Device, DeviceKind, best_path
from reel.core.wire import from_plain, to_plain
from reel.web.setups import plan_of, setup_from_1


def bring_up(apps, schema_editor):
    for rig in apps.get_model("rigs", "Rig").objects.all():
        if not isinstance(rig.setup, dict) or "version" in rig.setup:
            continue
        try:
            setup, rig.play = setup_from_1(rig.setup)
            if "path" not in rig.setup:  # the first rigs had none; today an empty one is what somebody made
                device = from_plain(setup["device"], Device)
                path = () if device.kind is DeviceKind.FEED else best_path(device)
                setup = {**setup, "path": to_plain(path)}
            plan_of({"version": 2, **setup})
        except ReelError:
            continue  # it is shown as one that can't be read
        rig.setup = {"version": 2, **setup}
        rig.save(update_fields=["setup", "play"])


class Migration(migrations.Migration):
    dependencies = [("rigs", "0003_asked")]

    operations = [
        migrations.AddField(model_name="rig", name="play", field=models.JSONField(default=dict)),
        migrations.RunPython(bring_up, migrations.RunPython.noop),
    ]
