"""No command ends in a traceback, whatever it is given."""

import json
import os
import subprocess
import sys

import pytest

from tests.live_app import LiveApp

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


def run(folder, *args: str, **env: str) -> subprocess.CompletedProcess[str]:
    plain = {k: v for k, v in os.environ.items() if not k.startswith("VERDIGRIS")}
    return subprocess.run(
        [sys.executable, "-m", "verdigris.cli.main", *args], capture_output=True, text=True, env={**plain, **env}, cwd=folder, timeout=120
    )


def check(done: subprocess.CompletedProcess[str]) -> None:
    said = done.stdout + done.stderr
    assert "Traceback" not in said, said
    assert done.returncode not in (0, -9, -11), said
    assert said.strip()


@pytest.fixture
def folder(tmp_path):
    for name, content in HOSTILE.items():
        (tmp_path / name).write_bytes(content)
    return tmp_path


@pytest.mark.parametrize("command", COMMANDS, ids=lambda c: c[0])
def test_hostile_files_are_refused_in_words(folder, command):
    for name in [*HOSTILE, "not-there.json", "."]:
        check(run(folder, command[0], name, *command[1:]))


def test_the_application_is_asked_for_things_that_it_has_not(live: LiveApp, folder):
    env = {k: v for k, v in live.env.items() if k.startswith("VERDIGRIS")}
    for shot in ("no-id", "00000000-0000-4000-8000-000000000000", "\u0663", "a" * 5000):
        check(run(folder, "export", shot, "--out", "out", **env))
    check(run(folder, "import", "odd.json", **env))
    check(run(folder, "import", "shot.json", "--track", "binary.json", **env))
    check(run(folder, "export", **{**env, "VERDIGRIS_DATABASE_URL": "postgresql://nobody@127.0.0.1:1/none"}))
    check(run(folder, "export", VERDIGRIS_DATABASE_URL="not an address"))
