"""Sounds and SoundFonts go from the database to the storage "files"; and back, where this is undone."""

from django.apps.registry import Apps
from django.db import migrations, models
from django.db.backends.base.schema import BaseDatabaseSchemaEditor

from studio.services import bulk

KINDS = (("TakeSound", bulk.SOUNDS, "flac"), ("SoundBank", bulk.BANKS, "sf2"))


def out(apps: Apps, _: BaseDatabaseSchemaEditor) -> None:
    for name, folder, kind in KINDS:
        rows = apps.get_model("studio", name).objects
        for pk in list(rows.values_list("pk", flat=True)):
            row = rows.get(pk=pk)
            row.file, row.size = bulk.keep(bytes(row.data), folder, kind), len(row.data)
            row.save(update_fields=["file", "size"])


def back(apps: Apps, _: BaseDatabaseSchemaEditor) -> None:
    for name, _folder, _kind in KINDS:
        rows = apps.get_model("studio", name).objects
        for pk in list(rows.values_list("pk", flat=True)):
            row = rows.get(pk=pk)
            row.data = bulk.read(row.file)
            row.save(update_fields=["data"])


class Migration(migrations.Migration):
    dependencies = [("studio", "0009_followed_sounds")]

    operations = [
        operation
        for model, what in (
            ("takesound", "One channel, as FLAC: its name among `services/bulk.py`'s files."),
            ("soundbank", "The file as it came, by its name among the same."),
        )
        for operation in (
            migrations.AddField(
                model, "file", models.CharField(default="", max_length=100, help_text=what), preserve_default=False
            ),
            migrations.AddField(model, "size", models.PositiveBigIntegerField(default=0, help_text="Its bytes.")),
        )
    ] + [migrations.RunPython(out, back)]
