"""Folders that are watched."""

from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('takes', '0015_missing'),
    ]

    operations = [
        migrations.CreateModel(
            name='WatchedFolder',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('folder', models.CharField(max_length=500, unique=True)),
                ('added_at', models.DateTimeField(auto_now_add=True)),
                ('problem', models.CharField(blank=True, max_length=300)),
            ],
            options={
                'ordering': ['folder'],
            },
        ),
    ]
