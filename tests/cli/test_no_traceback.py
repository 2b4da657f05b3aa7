"""No command ends in a traceback, whatever it is given."""

import json
import os
import subprocess
import sys
from pathlib import Path

import pytest

from tests.live_app import LiveApp
from verdigris.cli.main import main

HOSTILE = {
    "empty.json": b"",
    "binary.json": bytes(range(256)) * 4,
    "deep.json": b"[" * 5000,
    "number.json": b"1e999999",
    "shot.json": json.dumps({"format": "verdigris.shot", "version": 1, "plate": {"path": "no.mp4"}}).encode(),
    "odd.json": json.dumps({"format": "verdigris.shot", "version": 1, "plate": {"path": "\0"}, "surfaces": 7}).encode(),
    "rate.json": json.dumps({"format": "verdigris.shot", "version": 1, "plate": {"path": "a", "rate": "1e10000000"}}).encode(),
    "film.mp4": b"\0\0\0\x18ftypisom" + b"\xff" * 400,
    "picture.png": b"\x89PNG\r\n\x1a\n" + b"\0" * 60,
}
COMMANDS = [
    ["probe"], ["track", "--out", "t.json"], ["propose", "--track", "binary.json"], ["disagreements"], ["lens"], ["points"], ["references"],
    ["jitter", "--track", "number.json"], ["anchor", "--track", "deep.json", "--frame", "3", "--out", "o"], ["render", "--out", "r.mp4"],
]  # fmt: skip


def refused(capsys, monkeypatch, *args: str) -> None:
    """Run a command within this process, as its entry point does; it must end with an exit code and a sentence."""
    monkeypatch.setattr(sys, "argv", ["verdigris", *args])
    with pytest.raises(SystemExit) as ended:
        main()
    out, err = capsys.readouterr()
    assert ended.value.code not in (0, None), out + err
    assert (out + err).strip()
    assert "unexpected" not in err, err


@pytest.fixture
def folder(tmp_path):
    for name, content in HOSTILE.items():
        (tmp_path / name).write_bytes(content)
    return tmp_path


@pytest.mark.parametrize("command", COMMANDS, ids=lambda c: c[0])
def test_hostile_files_are_refused_in_words(folder, command, capsys, monkeypatch):
    monkeypatch.chdir(folder)
    for name in [*HOSTILE, "not-there.json", "."]:
        refused(capsys, monkeypatch, command[0], name, *command[1:])


def test_the_application_is_asked_for_things_that_it_has_not(live: LiveApp, folder):
    env = {k: v for k, v in live.env.items() if k.startswith("VERDIGRIS")}
    check(run(folder, "export", "00000000-0000-4000-8000-000000000000", "--out", "out", **env))
    check(run(folder, "export", "no-id", "--out", "out", **env))
    check(run(folder, "import", "shot.json", "--track", "binary.json", **env))
    check(run(folder, "export", VERDIGRIS_DATABASE_URL="not an address"))


def test_an_error_that_nobody_foresaw_is_told_and_its_details_are_kept(capsys, monkeypatch, folder):
    def broken(_: Path) -> None:
        raise ZeroDivisionError("inside")

    monkeypatch.chdir(folder)
    monkeypatch.setattr("verdigris.shot.model.document.read_shot", broken)
    monkeypatch.setattr(sys, "argv", ["verdigris", "lens", "shot.json"])
    with pytest.raises(SystemExit) as ended:
        main()
    said = " ".join(capsys.readouterr().err.split())
    assert ended.value.code == 1
    assert "Traceback" not in said
    details = Path(said.split("details are in ")[1].split(";")[0].replace(" ", ""))
    assert "ZeroDivisionError: inside" in details.read_text()
    details.unlink()


def run(folder: Path, *args: str, **env: str) -> subprocess.CompletedProcess[str]:
    plain = {k: v for k, v in os.environ.items() if not k.startswith("VERDIGRIS")}
    return subprocess.run(
        [sys.executable, "-m", "verdigris.cli.main", *args], capture_output=True, text=True, env={**plain, **env}, cwd=folder, timeout=120
    )


def check(done: subprocess.CompletedProcess[str]) -> None:
    said = done.stdout + done.stderr
    assert "Traceback" not in said, said
    assert done.returncode not in (0, -9, -11), said
    assert said.strip()
