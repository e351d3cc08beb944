"""Rigs say whether their address was allowed by a person; setups lose what can't be any more."""

from django.db import migrations, models


def possible(setup):
    """Return a setup whose values can be: no lossless quality in a profile without it, no 4:2:0 that HDMI does not have."""
    recipe, device = dict(setup.get("recipe", {})), dict(setup.get("device", {}))
    if recipe.get("quality_crf") == 0:
        recipe["quality_crf"] = 1
    mode = device.get("mode") or {}
    is_big = (mode.get("width_px"), mode.get("height_px")) == (3840, 2160) and mode.get("rate") in ("50", "60")
    if device.get("kind") == "console" and device.get("out") in (None, "hdmi") and not is_big:
        device["pixels"] = {"yuv420p": None, "yuv420p10le": "yuv422p10le"}.get(device.get("pixels"), device.get("pixels"))
    return setup | {"recipe": recipe, "device": device}


def mend(apps, schema_editor):
    for rig in apps.get_model("rigs", "Rig").objects.all():
        if isinstance(rig.setup, dict) and (setup := possible(rig.setup)) != rig.setup:
            rig.setup = setup
            rig.save(update_fields=["setup"])


class Migration(migrations.Migration):
    dependencies = [("rigs", "0002_paths")]

    operations = [
        migrations.AddField(model_name="rig", name="is_asked", field=models.BooleanField(default=True)),
        migrations.RunPython(mend, migrations.RunPython.noop),
    ]
