"""What is known of a kind of stroke stands beside its class: nothing else asks which kind one is."""

import re
from pathlib import Path
from typing import get_args

from expression.strokes import KINDS
from expression.strokes.spec import Widget

ROOT = Path(__file__).parent.parent
NAMED = "|".join(re.escape(kind) for kind in KINDS)
ASKS = re.compile(
    rf"""kind\)?\s*(===|!==|==|!=)\s*["']({NAMED})["']|troke\.kind\.(startsWith|startswith|split)\(|\[["']({NAMED})["'],?.*includes"""
)
POINTER = ("web/src/desk/hand/", "web/src/desk/strokes/", "web/src/desk/staves/FrameGrips.tsx")
"""Where a pointer or a key does something of its own with a kind."""


def test_no_kind_is_asked_for_outside_the_table() -> None:
    files = [
        *(ROOT / "web/src").rglob("*.ts*"),
        *(
            path
            for room in ("studio", "command", "expression/views", "expression/staff")
            for path in (ROOT / room).rglob("*.py")
        ),
    ]
    found = []
    for path in files:
        name = path.relative_to(ROOT).as_posix()
        if name.startswith(POINTER) or "generated" in name or ".test." in name:
            continue
        found += [f"{name}: {line.strip()}" for line in path.read_text().splitlines() if ASKS.search(line)]
    assert found == []


def test_every_kind_says_what_it_is_and_every_gesture_has_its_drawing() -> None:
    signs = (ROOT / "web/src/desk/strokes/signs.ts").read_text()
    widgets = (ROOT / "web/src/desk/shape/fields/index.ts").read_text()
    numbers = (ROOT / "web/src/desk/strokes/numbers.ts").read_text()
    places = (ROOT / "web/src/desk/strokes/places.ts").read_text()
    for kind, model in KINDS.items():
        spec = model.spec
        assert spec.name, kind
        for ask in spec.asks:
            assert ask.widget in get_args(Widget), (kind, ask)
            assert re.search(rf'^  "?{ask.widget}"?:', widgets, re.MULTILINE), (kind, ask.widget)
            name = ask.name.split(".")[0]
            assert not name or name in model.model_fields or name == "where", (kind, name)
            assert all(when.field in model.model_fields for when in ask.when), (kind, ask)
        for gesture in spec.gestures:
            assert re.search(rf"^  {gesture.sign}:", signs, re.MULTILINE), (kind, gesture.sign)
            assert re.search(rf'^  "?{gesture.where}"?:', places, re.MULTILINE), (kind, gesture.where)
            given = {str(one)[1:] for one in gesture.given.values() if str(one).startswith("@")}
            for number in given:
                assert re.search(rf'^  "?{number}"?(:|,)', numbers, re.MULTILINE), (kind, number)
            assert set(gesture.given) <= set(model.model_fields), (kind, gesture.given)
