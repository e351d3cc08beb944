from django.db import migrations


class Migration(migrations.Migration):
    dependencies = [("rigs", "0008_estimates")]
    operations = [migrations.RenameField("rig", "plays", "simulation")]
