"""Takes whose files are not where they were are noted."""

from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('rigs', '0010_edits'),
        ('takes', '0014_incoming'),
    ]

    operations = [
        migrations.AddField(
            model_name='take',
            name='is_missing',
            field=models.BooleanField(default=False),
        ),
        migrations.AddIndex(
            model_name='take',
            index=models.Index(condition=models.Q(('binned_at', None)), fields=['is_missing', '-started_at', '-id', 'size_bytes', 'length_ms'], name='missing_takes'),
        ),
    ]
