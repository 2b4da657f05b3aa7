"""What the documents say is what the program does."""

import json
import re
import subprocess
from pathlib import Path

from launch.commands import HEADLESS
from verdigris.api.problems import STATUS
from verdigris.cli.main import app
from verdigris.core.geometry.motion import MOTIONS
from verdigris.formats.errors import FormatError
from verdigris.formats.track_json import read_tracks
from verdigris.media.errors import MEDIA_ERROR_CODES
from verdigris.runs.errors import RUN_ERROR_CODES
from verdigris.settings import Settings
from verdigris.shot.errors import SHOT_ERROR_CODES
from verdigris.shot.model.document import Shot, parse_shot, read_shot
from verdigris.store.errors import STORE_ERROR_CODES

ROOT = Path(__file__).resolve().parent.parent
FORMATS = (ROOT / "docs" / "formats.md").read_text()
CODES = {*MEDIA_ERROR_CODES, *SHOT_ERROR_CODES, *RUN_ERROR_CODES, *STORE_ERROR_CODES, *FormatError.codes}


def test_every_error_code_has_an_answer_and_is_documented():
    assert set(STATUS) == CODES
    for code in CODES:
        assert f"`{code}`" in FORMATS, code


def test_every_setting_is_documented():
    for name in Settings.model_fields:
        assert f"`{name}`" in FORMATS, name


def test_the_complete_example_is_read_and_uses_every_field():
    path = ROOT / "docs" / "examples" / "shot.json"
    shot = read_shot(path)
    written = path.read_text()
    assert parse_shot(json.loads(written)) == shot

    def fields(schema: dict) -> set[str]:
        return {name for d in (schema, *schema["$defs"].values()) for name in d.get("properties", {})}

    missing = {f for f in fields(Shot.model_json_schema()) if f'"{f}"' not in written}
    # Only within the application.
    assert missing == {"media", "take"}


def test_every_field_of_the_document_is_in_its_table():
    for definition in Shot.model_json_schema()["$defs"].values():
        for name in definition.get("properties", {}):
            assert re.search(rf"[`.]{name}\b", FORMATS), name
    for motion in MOTIONS:
        assert f"`{motion}`" in FORMATS


def test_every_command_that_is_documented_is_offered_at_the_door():
    named = {m for f in (ROOT / "README.md", *(ROOT / "docs").glob("*.md")) for m in re.findall(r"\./verdigris ([a-z]+)", f.read_text())}
    # On a machine with nothing but its own Python.
    offered = subprocess.run([str(ROOT / "verdigris"), "--help"], capture_output=True, text=True, check=True).stdout
    assert len(named) > 12
    for name in named:
        assert re.search(rf"^    {name}\b", offered, re.MULTILINE), name


def test_the_door_hands_over_every_command_of_the_application():
    visible = {c.name or c.callback.__name__ for c in app.registered_commands if not c.hidden} | {g.name for g in app.registered_groups}
    assert set(HEADLESS) == visible


def test_the_track_example_is_a_track(tmp_path):
    example = FORMATS.split("```json\n")[1].split("```")[0]
    path = tmp_path / "track.json"
    path.write_text(example)
    assert read_tracks(path)[0].surface == "screen"


def test_every_picture_and_page_that_is_linked_is_there():
    for page in (ROOT / "README.md", *(ROOT / "docs").rglob("*.md")):
        for target in re.findall(r"\]\(([^)#:]+)\)", page.read_text()):
            assert (page.parent / target).exists(), f"{page.name} links {target}"


def test_the_keys_of_the_interface_are_listed_in_one_place():
    table = (ROOT / "web" / "src" / "bench" / "keys.ts").read_text()
    for key in ("Space", "Home, End", "Tab", "Delete", "Enter", "Shift+T", "Esc", "Ctrl+Z", "?"):
        assert key in table
