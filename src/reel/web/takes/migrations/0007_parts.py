import django.db.models.deletion
from django.db import migrations, models

MOVED = ("file_name", "size_bytes", "length_ms", "bitrate_bps", "counts", "proof_state", "proof", "playable")


def one_part_each(apps, schema_editor):
    """Return each take its file as its first part. It has the take's id: what is kept in the cache is named by it."""
    take, part = apps.get_model("takes", "Take"), apps.get_model("takes", "Part")
    for one in take.objects.iterator():
        part.objects.create(id=one.pk, take=one, **{name: getattr(one, name) for name in MOVED})


class Migration(migrations.Migration):
    dependencies = [("takes", "0006_tracks")]

    operations = [
        migrations.CreateModel(
            name="Part",
            fields=[
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("number", models.PositiveIntegerField(default=1)),
                ("first_tick", models.PositiveBigIntegerField(default=0)),
                ("file_name", models.CharField(max_length=255)),
                ("size_bytes", models.BigIntegerField(null=True)),
                ("length_ms", models.BigIntegerField(null=True)),
                ("bitrate_bps", models.BigIntegerField(null=True)),
                ("counts", models.JSONField(null=True)),
                ("problem", models.TextField(blank=True)),
                ("original_name", models.CharField(blank=True, max_length=255)),
                ("reached_ms", models.BigIntegerField(null=True)),
                (
                    "proof_state",
                    models.CharField(
                        choices=[
                            ("waiting", "not proved yet"),
                            ("as asked", "as asked"),
                            ("differs", "differs"),
                            ("failed", "can't be proved"),
                        ],
                        default="waiting",
                        max_length=12,
                    ),
                ),
                ("proof", models.JSONField(null=True)),
                ("found", models.JSONField(null=True)),
                ("playable", models.BooleanField(default=False)),
                (
                    "take",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.CASCADE, related_name="parts", to="takes.take"
                    ),
                ),
            ],
            options={"ordering": ["number"]},
        ),
        migrations.AddConstraint(
            model_name="part",
            constraint=models.UniqueConstraint(fields=("take", "number"), name="one_part_a_number"),
        ),
        migrations.RunPython(one_part_each, migrations.RunPython.noop),
        migrations.AddField("take", "folder", models.CharField(blank=True, max_length=500)),
        migrations.AddField("take", "ended_by", models.CharField(default="person", max_length=8)),
        migrations.AddField("take", "is_trial", models.BooleanField(default=False)),
        migrations.AddField("mark", "kind", models.CharField(default="person", max_length=8)),
        *(
            migrations.RemoveField(model_name="take", name=name)
            for name in ("file_name", "size_bytes", "length_ms", "bitrate_bps", "proof_state", "proof", "playable")
        ),
    ]
