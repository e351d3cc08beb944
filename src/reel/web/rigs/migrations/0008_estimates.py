import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("rigs", "0007_shelf")]

    operations = [
        migrations.CreateModel(
            name="Estimate",
            fields=[
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("of", models.JSONField()),
                ("bits_per_picture", models.FloatField(null=True)),
                (
                    "rig",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.CASCADE, related_name="estimates", to="rigs.rig"
                    ),
                ),
            ],
            options={"ordering": ["id"]},
        ),
    ]
