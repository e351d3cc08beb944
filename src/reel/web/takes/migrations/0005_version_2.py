"""What was asked of takes is kept as their rigs' setups are."""

from django.db import migrations

from reel.core.errors import ReelError
from reel.web.setups import setup_from_1


def bring_up(apps, schema_editor):
    for take in apps.get_model("takes", "Take").objects.all():
        if not isinstance(take.asked, dict) or "version" in take.asked:
            continue
        try:
            setup, _ = setup_from_1(take.asked)
        except ReelError:
            continue
        take.asked = {"version": 2, **setup}
        take.save(update_fields=["asked"])


class Migration(migrations.Migration):
    dependencies = [("takes", "0004_possible")]

    operations = [migrations.RunPython(bring_up, migrations.RunPython.noop)]
