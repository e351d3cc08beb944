"""What was asked of older takes loses what can't be any more, as their rigs do."""

from importlib import import_module

from django.db import migrations


def mend(apps, schema_editor):
    possible = import_module("reel.web.rigs.migrations.0003_asked").possible
    for take in apps.get_model("takes", "Take").objects.all():
        if isinstance(take.asked, dict) and (asked := possible(take.asked)) != take.asked:
            take.asked = asked
            take.save(update_fields=["asked"])


class Migration(migrations.Migration):
    dependencies = [("takes", "0003_on_device"), ("rigs", "0003_asked")]

    operations = [migrations.RunPython(mend, migrations.RunPython.noop)]
