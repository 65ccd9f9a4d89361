"""`manage.py files`: all sounds and SoundFonts copied to a folder, or taken in from one; a backup holds them so."""

from pathlib import Path

from django.core.management.base import BaseCommand, CommandParser

from studio.services import bulk


class Command(BaseCommand):
    """Whatever storage they are in."""

    help = "Copy sounds and SoundFonts to a folder, or take them in from one."

    def add_arguments(self, parser: CommandParser) -> None:
        """Which way."""
        way = parser.add_mutually_exclusive_group(required=True)
        way.add_argument("--to", type=Path, help="the folder to copy them to")
        way.add_argument("--from", type=Path, dest="source", help="the folder to take them in from")

    def handle(self, *args: object, **options: object) -> None:
        """Do it, and tell how many they were."""
        target, source = options["to"], options["source"]
        if isinstance(source, Path):
            count = bulk.copied_from(source)
        else:
            assert isinstance(target, Path)
            count = bulk.copied_to(target)
        self.stdout.write(f"{count:,} files")
