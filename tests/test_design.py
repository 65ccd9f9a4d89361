"""What docs/design.md says is there, is there; and what it says of making something new can be done as it says."""

import ast
import re
from pathlib import Path
from typing import Annotated, Literal

import pytest
from pydantic import Field

from expression.arrays import Ints
from expression.midi.files import opened
from expression.strokes.base import Picked
from expression.strokes.spec import Gesture, Spec, entry
from expression.strokes.velocity import VelocityStroke
from expression.take import Take
from tests.files import file_of, phrase

ROOT = Path(__file__).parent.parent
TEXT = (ROOT / "docs/design.md").read_text()
NAMED = sorted(set(re.findall(r"`([^`\n]+)`", re.sub(r"```.*?```", "", TEXT, flags=re.S))))
PATHS = [name for name in NAMED if re.fullmatch(r"[\w.]+(/[\w.]*)+", name)]
CODE = [name for name in NAMED if re.fullmatch(r"[A-Za-z_]+(\.[a-z_]+)?", name) and not name.endswith(".toml")]
FOLDERS = ("expression", "studio", "web/src", "command", "launcher", "tests")


def test_enough_is_looked_up() -> None:
    assert len(PATHS) > 30
    assert len(CODE) > 20


@pytest.mark.parametrize("path", PATHS)
def test_what_is_named_is_there(path: str) -> None:
    assert (ROOT / path).exists()


def test_what_is_called_so_is_defined() -> None:
    files = (file for folder in FOLDERS for file in (ROOT / folder).rglob("*") if file.suffix in (".py", ".ts"))
    code = "\n".join(file.read_text() for file in files)
    for name in CODE:
        last = name.rsplit(".", 1)[-1]
        assert re.search(rf"\b(class|def|function|const|type)\s+{last}\b|\b{last}\s*[:=]", code), name


def test_a_kind_of_stroke_is_made_as_it_says() -> None:
    (example,) = re.findall(r"```python\n(.*?)```", TEXT, flags=re.S)
    known = {
        "Annotated": Annotated,
        "Field": Field,
        "Gesture": Gesture,
        "Ints": Ints,
        "Literal": Literal,
        "Picked": Picked,
        "Spec": Spec,
        "Take": Take,
        "VelocityStroke": VelocityStroke,
        "entry": entry,
    }
    exec(example, known)
    mirror = known["VelocityMirror"]
    assert mirror.spec.asks[0].label == "About"  # type: ignore[attr-defined]
    made = mirror.model_validate({"kind": "velocity.mirror", "about": 60})  # type: ignore[attr-defined]
    take = opened(file_of(phrase([20, 60, 90])))
    assert made.apply(take).parts[0].notes.velocity.tolist() == [100, 60, 30]
    assert made.label() == "Mirrored about 60"
    assert made.reach(take).matched == 3
    with pytest.raises(ValueError, match="greater than or equal to 1"):
        known["VelocityMirror"].model_validate({"kind": "velocity.mirror", "about": 0})  # type: ignore[attr-defined]


MOST_LINES, MOST_LINES_OF_A_FUNCTION = 500, 60


def test_files_and_functions_can_be_read_at_once() -> None:
    """Those of the page: functions by the linter there, files here."""
    folders = ("expression", "studio", "command", "config", "demo", "launcher", "bench", "tests", "web/src")
    files = [file for folder in folders for file in (ROOT / folder).rglob("*") if file.suffix in (".py", ".ts", ".tsx")]
    assert len(files) > 400
    for file in files:
        if "generated" in file.parts or "migrations" in file.parts:
            continue
        text = file.read_text()
        assert text.count("\n") <= MOST_LINES, file
        if file.suffix == ".py":
            for node in ast.walk(ast.parse(text)):
                if isinstance(node, ast.FunctionDef | ast.AsyncFunctionDef) and node.end_lineno:
                    assert node.end_lineno - node.lineno < MOST_LINES_OF_A_FUNCTION, (file, node.name)
