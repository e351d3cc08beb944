"""The words that takes are found by, as a model of the table that is there."""

from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('takes', '0011_sums'),
    ]

    operations = [
        migrations.CreateModel(
            name='TakeWords',
            fields=[
                ('id', models.BigIntegerField(db_column='rowid', primary_key=True, serialize=False)),
                ('words', models.TextField()),
            ],
            options={
                'db_table': 'takes_words',
                'managed': False,
            },
        ),
    ]
