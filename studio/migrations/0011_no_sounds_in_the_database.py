"""What lies in files is in the database no longer."""

from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("studio", "0010_files_of_sounds")]

    operations = [
        # Where this is undone, the columns are empty until they are filled from the files.
        migrations.AlterField("takesound", "data", models.BinaryField(default=b"")),
        migrations.AlterField("soundbank", "data", models.BinaryField(default=b"")),
        migrations.RemoveField("takesound", "data"),
        migrations.RemoveField("soundbank", "data"),
    ]
