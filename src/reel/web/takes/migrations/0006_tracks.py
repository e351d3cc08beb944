"""Takes know their tracks by name; those of before had tracks without one."""

from django.db import migrations, models

from reel.core.errors import ReelError
from reel.web.setups import setup_from_2


def bring_up(apps, schema_editor):
    for take in apps.get_model("takes", "Take").objects.all():
        take.tracks = [""] * take.sound_tracks
        if isinstance(take.asked, dict) and take.asked.get("version") == 2:
            try:
                asked = setup_from_2({key: value for key, value in take.asked.items() if key != "version"})
            except ReelError:
                asked = None
            if asked is not None:
                take.asked = {"version": 3, **asked}
        take.save(update_fields=["asked", "tracks"])


class Migration(migrations.Migration):
    dependencies = [("takes", "0005_version_2")]

    operations = [
        migrations.AddField(model_name="take", name="tracks", field=models.JSONField(default=list)),
        migrations.RunPython(bring_up, migrations.RunPython.noop),
        migrations.RemoveField(model_name="take", name="sound_tracks"),
    ]
