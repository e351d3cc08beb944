"""Files that are made of takes, to be handed on."""

import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('takes', '0012_words'),
    ]

    operations = [
        migrations.CreateModel(
            name='Made',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('kind', models.CharField(choices=[('chapters', 'with chapters'), ('small', 'small copy'), ('wav', 'WAV'), ('flac', 'FLAC')], max_length=10)),
                ('track', models.PositiveSmallIntegerField(default=0)),
                ('file_name', models.CharField(blank=True, max_length=255)),
                ('is_whole', models.BooleanField(default=False)),
                ('size_bytes', models.BigIntegerField(null=True)),
                ('part', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='made', to='takes.part')),
            ],
            options={
                'ordering': ['id'],
            },
        ),
    ]
