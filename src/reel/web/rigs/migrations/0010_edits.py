import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("rigs", "0009_simulation")]
    operations = [
        migrations.RemoveField("rig", "frames_before"),
        migrations.RemoveField("rig", "frames_after"),
        migrations.CreateModel(
            name="Edit",
            fields=[
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("words", models.CharField(max_length=200)),
                ("setup", models.JSONField()),
                ("simulation", models.JSONField(default=list)),
                ("is_asked", models.BooleanField(default=True)),
                ("is_undone", models.BooleanField(default=False)),
                (
                    "rig",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.CASCADE, related_name="edits", to="rigs.rig"
                    ),
                ),
            ],
            options={"ordering": ["id"]},
        ),
    ]
