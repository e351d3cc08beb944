"""Rigs get ticked checks; consoles, which had no path before, get the best one."""

from django.db import migrations, models

from reel.core.errors import ReelError
from reel.core.line import DeviceKind, RigSetup, best_path
from reel.core.wire import from_plain, to_plain


def lay_paths(apps, schema_editor):
    for rig in apps.get_model("rigs", "Rig").objects.all():
        try:
            plan = from_plain(rig.setup, RigSetup)
        except ReelError:
            continue  # a setup that no longer fits is not made worse
        if plan.device.kind is not DeviceKind.FEED and not plan.path:
            rig.setup = rig.setup | {"path": to_plain(best_path(plan.device))}
            rig.save(update_fields=["setup"])


class Migration(migrations.Migration):
    dependencies = [("rigs", "0001_initial")]

    operations = [
        migrations.AddField(model_name="rig", name="ticked", field=models.JSONField(default=list)),
        migrations.RunPython(lay_paths, migrations.RunPython.noop),
    ]
