"""A job knows its subject by number; what that is belongs to its kind."""

from django.db import migrations, models


def keep_subjects(apps, schema_editor):
    apps.get_model("jobs", "Job").objects.update(subject=models.F("take_id"))


class Migration(migrations.Migration):
    dependencies = [("jobs", "0001_initial"), ("takes", "0005_version_2")]

    operations = [
        migrations.AddField(model_name="job", name="subject", field=models.BigIntegerField(null=True, db_index=True)),
        migrations.RunPython(keep_subjects, migrations.RunPython.noop),
        migrations.RemoveField(model_name="job", name="take"),
    ]
