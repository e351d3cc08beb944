"""What lists show of takes is summed up from their parts, and the words that they are found by are written down."""

from django.db import migrations

WORST_FIRST = ("failed", "differs", "waiting", "as asked")


def sum_up(apps, schema_editor):
    take_model, part_model = apps.get_model("takes", "Take"), apps.get_model("takes", "Part")
    for take in take_model.objects.iterator():
        parts = list(part_model.objects.filter(take=take).order_by("number"))
        states = {part.proof_state for part in parts}
        sizes = [part.size_bytes for part in parts if part.size_bytes is not None]
        lengths = [part.length_ms for part in parts if part.length_ms is not None]
        recipe = (take.asked or {}).get("recipe") or {}
        take_model.objects.filter(pk=take.pk).update(
            proof_state=next((state for state in WORST_FIRST if state in states), "waiting"),
            size_bytes=sum(sizes) if sizes else None,
            length_ms=sum(lengths) if lengths else None,
            lost=sum((take.counts or {}).get(key, 0) for key in ("lost_before", "lost_encoder")),
            origin="by device" if take.on_device else "rolled",
        )
        words = [take.name, take.rig_name, str(recipe.get("codec", "")), *[part.file_name for part in parts]]
        with schema_editor.connection.cursor() as cursor:
            cursor.execute("INSERT INTO takes_words (rowid, words) VALUES (%s, %s)", [take.pk, "\n".join(words)])


class Migration(migrations.Migration):
    dependencies = [("takes", "0010_keep")]
    operations = [migrations.RunPython(sum_up, migrations.RunPython.noop, elidable=True)]
