"""Takes are found, told apart, drawn along their time, and binned."""

import django.db.models.deletion
from django.db import migrations, models


# The words that a take is found by, by any three letters.
WORDS = "CREATE VIRTUAL TABLE takes_words USING fts5(words, tokenize = 'trigram')"


class Migration(migrations.Migration):

    dependencies = [
        ('rigs', '0010_edits'),
        ('takes', '0009_indexes'),
    ]

    operations = [
        migrations.CreateModel(
            name='InTime',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('packed', models.BinaryField()),
            ],
        ),
        migrations.AddField(
            model_name='part',
            name='strand',
            field=models.JSONField(null=True),
        ),
        migrations.AddField(
            model_name='take',
            name='binned_at',
            field=models.DateTimeField(null=True),
        ),
        migrations.AddField(
            model_name='take',
            name='codec',
            field=models.CharField(blank=True, max_length=40),
        ),
        migrations.AddField(
            model_name='take',
            name='is_good',
            field=models.BooleanField(default=False),
        ),
        migrations.AddField(
            model_name='take',
            name='length_ms',
            field=models.BigIntegerField(null=True),
        ),
        migrations.AddField(
            model_name='take',
            name='made_from',
            field=models.ManyToManyField(related_name='made_into', to='takes.take'),
        ),
        migrations.AddField(
            model_name='take',
            name='lost',
            field=models.PositiveBigIntegerField(default=0),
        ),
        migrations.AddField(
            model_name='take',
            name='note',
            field=models.CharField(blank=True, max_length=500),
        ),
        migrations.AddField(
            model_name='take',
            name='origin',
            field=models.CharField(choices=[('rolled', 'rolled'), ('by device', 'recorded by a device'), ('brought in', 'brought in'), ('made', 'made from other takes')], default='rolled', max_length=12),
        ),
        migrations.AddField(
            model_name='take',
            name='proof_state',
            field=models.CharField(choices=[('waiting', 'not proved yet'), ('as asked', 'as asked'), ('differs', 'differs'), ('failed', "can't be proved")], default='waiting', max_length=12),
        ),
        migrations.AddField(
            model_name='take',
            name='size_bytes',
            field=models.BigIntegerField(null=True),
        ),
        migrations.AddField(
            model_name='take',
            name='tags',
            field=models.JSONField(default=list),
        ),
        migrations.AddIndex(
            model_name='take',
            index=models.Index(condition=models.Q(('binned_at', None)), fields=['-started_at', '-id', 'size_bytes', 'length_ms'], name='kept_takes'),
        ),
        migrations.AddIndex(
            model_name='take',
            index=models.Index(condition=models.Q(('binned_at', None)), fields=['is_good', '-started_at', '-id', 'size_bytes', 'length_ms'], name='good_takes'),
        ),
        migrations.AddIndex(
            model_name='take',
            index=models.Index(condition=models.Q(('binned_at', None)), fields=['proof_state', '-started_at', '-id', 'size_bytes', 'length_ms'], name='proved_takes'),
        ),
        migrations.AddIndex(
            model_name='take',
            index=models.Index(condition=models.Q(('binned_at', None)), fields=['state', '-started_at', '-id', 'size_bytes', 'length_ms'], name='takes_in_state'),
        ),
        migrations.AddIndex(
            model_name='take',
            index=models.Index(condition=models.Q(('binned_at', None)), fields=['is_trial', '-started_at', '-id', 'size_bytes', 'length_ms'], name='trial_takes'),
        ),
        migrations.AddIndex(
            model_name='take',
            index=models.Index(condition=models.Q(('binned_at', None)), fields=['origin', '-started_at', '-id', 'size_bytes', 'length_ms'], name='takes_from'),
        ),
        migrations.AddIndex(
            model_name='take',
            index=models.Index(condition=models.Q(('binned_at__isnull', False)), fields=['-binned_at', '-id'], name='binned_takes'),
        ),
        migrations.AddIndex(
            model_name='take',
            index=models.Index(condition=models.Q(('binned_at', None)), fields=['-size_bytes', '-id', 'length_ms'], name='take_by_size'),
        ),
        migrations.AddIndex(
            model_name='take',
            index=models.Index(condition=models.Q(('binned_at', None)), fields=['-length_ms', '-id', 'size_bytes'], name='take_by_length'),
        ),
        migrations.AddIndex(
            model_name='take',
            index=models.Index(condition=models.Q(('binned_at', None)), fields=['name', '-id', 'size_bytes', 'length_ms'], name='take_by_name'),
        ),
        migrations.AddIndex(
            model_name='take',
            index=models.Index(fields=['codec'], name='take_codecs'),
        ),
        migrations.AddField(
            model_name='intime',
            name='part',
            field=models.OneToOneField(on_delete=django.db.models.deletion.CASCADE, related_name='along', to='takes.part'),
        ),
        migrations.RunSQL(WORDS, "DROP TABLE takes_words"),
    ]
