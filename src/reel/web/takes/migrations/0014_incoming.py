"""Files that are brought in or over, and takes of which nothing was asked."""

import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('takes', '0013_made'),
    ]

    operations = [
        migrations.AddField(
            model_name='part',
            name='fingerprint',
            field=models.CharField(blank=True, max_length=40),
        ),
        migrations.AddField(
            model_name='part',
            name='played',
            field=models.CharField(blank=True, max_length=10),
        ),
        migrations.AddField(
            model_name='take',
            name='measured',
            field=models.JSONField(null=True),
        ),
        migrations.AlterField(
            model_name='part',
            name='proof_state',
            field=models.CharField(choices=[('waiting', 'not proved yet'), ('as asked', 'as asked'), ('differs', 'differs'), ('failed', "can't be proved"), ('not asked', 'nothing was asked of it')], default='waiting', max_length=12),
        ),
        migrations.AlterField(
            model_name='take',
            name='asked',
            field=models.JSONField(null=True),
        ),
        migrations.AlterField(
            model_name='take',
            name='proof_state',
            field=models.CharField(choices=[('waiting', 'not proved yet'), ('as asked', 'as asked'), ('differs', 'differs'), ('failed', "can't be proved"), ('not asked', 'nothing was asked of it')], default='waiting', max_length=12),
        ),
        migrations.CreateModel(
            name='Incoming',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('source', models.CharField(choices=[('upload', 'the browser'), ('folder', 'a folder'), ('device', 'a device')], max_length=8)),
                ('place', models.CharField(blank=True, max_length=1000)),
                ('name', models.CharField(max_length=1000)),
                ('size_bytes', models.BigIntegerField()),
                ('modified_at', models.DateTimeField()),
                ('copied_bytes', models.BigIntegerField(default=0)),
                ('bytes_per_s', models.FloatField(null=True)),
                ('state', models.CharField(choices=[('waiting', 'waits'), ('copying', 'copying'), ('broken', 'link broke'), ('checking', 'checking'), ('whole', 'checked'), ('known', 'here already'), ('failed', "can't be brought in")], default='waiting', max_length=10)),
                ('problem', models.TextField(blank=True)),
                ('rolling_name', models.CharField(blank=True, max_length=255)),
                ('asked_at', models.DateTimeField(auto_now_add=True)),
                ('take', models.ForeignKey(null=True, on_delete=django.db.models.deletion.SET_NULL, related_name='incoming', to='takes.take')),
            ],
            options={
                'ordering': ['-id'],
                'indexes': [models.Index(fields=['source', 'place', '-id'], name='incoming_from')],
            },
        ),
    ]
