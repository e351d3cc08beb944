from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("machine", "0001_initial")]

    operations = [
        migrations.CreateModel(
            name="ShelfPlace",
            fields=[
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("name", models.CharField(max_length=60, unique=True)),
                ("folder", models.CharField(max_length=500, unique=True)),
                ("write_bps", models.FloatField(null=True)),
                ("measured_at", models.DateTimeField(null=True)),
            ],
            options={"ordering": ["pk"]},
        ),
    ]
