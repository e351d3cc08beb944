"""The highest bitrate of a kept recipe has another name."""

from django.db import migrations


def rename(apps, schema_editor):
    for kept in apps.get_model("recipes", "KeptRecipe").objects.all():
        rate = kept.settings.get("rate") if isinstance(kept.settings, dict) else None
        if isinstance(rate, dict) and "most_bps" in rate:
            rate["max_bps"] = rate.pop("most_bps")
            kept.save(update_fields=["settings"])


class Migration(migrations.Migration):
    dependencies = [("recipes", "0001_initial")]
    operations = [migrations.RunPython(rename, migrations.RunPython.noop)]
