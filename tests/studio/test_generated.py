"""What is generated from the code is committed, and stale copies are found here."""

import subprocess
from pathlib import Path

from command.document import limits_document, stroke_document, stroke_table
from studio.management.commands.openapi import contract

ROOT = Path(__file__).parents[2]
MEND = "run ./lull generate"


def test_the_stroke_document() -> None:
    assert (ROOT / "docs/strokes.md").read_text() == stroke_document(), MEND


def test_the_page_of_limits() -> None:
    assert (ROOT / "docs/limits.md").read_text() == limits_document(), MEND


def test_what_the_desk_knows_of_strokes() -> None:
    assert (ROOT / "web/src/api/generated/strokes.json").read_text() == stroke_table(), MEND


def test_the_contract() -> None:
    assert (ROOT / "docs/openapi.json").read_text() == contract(), MEND


def test_the_typescript_types(tmp_path: Path) -> None:
    made = tmp_path / "schema.ts"
    tool = ROOT / "web/node_modules/.bin/openapi-typescript"
    subprocess.run([tool, ROOT / "docs/openapi.json", "-o", made], check=True, capture_output=True)
    assert made.read_text() == (ROOT / "web/src/api/generated/schema.ts").read_text(), MEND


def test_migrations_are_up_to_date(db: None) -> None:
    from django.core.management import call_command

    call_command("makemigrations", check=True, dry_run=True, verbosity=0)
