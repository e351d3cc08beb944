from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("jobs", "0003_attempts")]
    operations = [
        migrations.AddField("job", "params", models.JSONField(default=dict)),
        migrations.AddField("job", "lane", models.CharField(default="quick", max_length=10)),
        migrations.AddField("job", "priority", models.SmallIntegerField(default=0)),
        migrations.AddField("job", "began_at", models.DateTimeField(null=True)),
    ]
