"""Rigs keep how their stand-ins play apart from what is set, and setups carry a version."""

from django.db import migrations, models

from reel.core.errors import ReelError
from reel.web.setups import setup_from_1

# The first rigs had no path; this one led their devices to the computer.
PATHS = {
    "console": ("hdmi-1.4", "capture-card", "pcie-4"),
    "deck": ("scart-s-video", "s-video-cable", "analogue-box", "usb-3"),
    "headset": ("mirror-window",),
    **dict.fromkeys(("phone", "tablet", "camera"), ("usb-3",)),
}


def bring_up(apps, schema_editor):
    for rig in apps.get_model("rigs", "Rig").objects.all():
        if not isinstance(rig.setup, dict) or "version" in rig.setup:
            continue
        try:
            setup, rig.play = setup_from_1(rig.setup)
            if "path" not in rig.setup:  # an empty one is what somebody made
                setup = {**setup, "path": [{"model": model} for model in PATHS.get(setup["device"]["kind"], ())]}
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
