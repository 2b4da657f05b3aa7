"""The launcher: a private cluster, free ports, plain words, and nothing left behind."""

import os
import signal
import socket
import subprocess
import sys
import time
import urllib.request
from pathlib import Path

import psycopg
import pytest

from launch import supervise
from launch.cluster import free_port, port_is_free, throwaway_cluster
from launch.commands import main
from launch.say import LaunchError, run_step


def test_a_cluster_starts_answers_and_stops():
    cluster = throwaway_cluster()
    assert cluster.start()
    assert not cluster.start()
    url = cluster.create_database("one")
    assert cluster.create_database("one") == url
    with psycopg.connect(url) as connection:
        assert connection.execute("SHOW listen_addresses").fetchone() == ("127.0.0.1",)
    cluster.stop()
    assert not cluster.running()


def test_a_cluster_moves_to_another_port_when_its_own_is_taken():
    cluster = throwaway_cluster()
    cluster.create()
    port = int(cluster.url().rsplit(":", 1)[1].split("/")[0])
    with socket.socket() as s:
        s.bind(("127.0.0.1", port))
        s.listen()
        cluster.start()
        assert int(cluster.url().rsplit(":", 1)[1].split("/")[0]) != port
    cluster.stop()


def test_free_ports_are_free():
    assert port_is_free(free_port())


def test_a_failing_step_shows_the_end_of_its_output(tmp_path):
    with pytest.raises(LaunchError, match="the last words"):
        run_step("trying", [sys.executable, "-c", "print('the last words'); raise SystemExit(3)"], tmp_path / "log", remedy="Try again.")
    with pytest.raises(LaunchError, match="not there"):
        run_step("trying", ["/no/such/program"], tmp_path / "log")


def test_unknown_commands_are_wrong_use(capsys):
    with pytest.raises(SystemExit) as stopped:
        main(["nonsense"])
    assert stopped.value.code == 2
    assert "invalid choice" in capsys.readouterr().err


@pytest.mark.parametrize("how", [signal.SIGINT, signal.SIGKILL])
def test_the_running_application_leaves_nothing_behind(tmp_path, how):
    """A copy of the launcher on its own folder: start, answer, an end that is asked for or a kill, nothing left."""
    root = Path(supervise.__file__).resolve().parent.parent
    copy = tmp_path / "checkout"
    copy.mkdir()
    for name in ("launch", "src", "web", ".venv"):
        (copy / name).symlink_to(root / name)
    script = f"""
import sys; sys.path.insert(0, {str(copy)!r})
from pathlib import Path
import launch.install as i, launch.cluster as c, launch.supervise as s
for m in (i, c, s):
    m.ROOT = Path({str(copy)!r})
i.LOGS = s.LOGS = Path({str(copy)!r}) / "var" / "logs"
sys.exit(s.serve(demo=False, port={free_port()}, workers=1))
"""
    tmp_path.chmod(0o755)
    process = subprocess.Popen(
        [sys.executable, "-c", script], stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True, start_new_session=True
    )
    assert process.stdout is not None
    address = ""
    for line in process.stdout:
        if "Verdigris is at" in line:
            address = line.split()[-1]
            break
    with urllib.request.urlopen(f"{address}/api/health") as answer:
        assert answer.status == 200
    children = subprocess.run(["pgrep", "-P", str(process.pid)], capture_output=True, text=True).stdout.split()
    # Web process, worker, and the guard of the database.
    assert len(children) == 3
    database = (copy / "var" / "app.env").read_text().split("VERDIGRIS_DATABASE_URL=")[1].split("\n")[0]
    database_port = int(database.rsplit(":", 1)[1].split("/")[0])
    os.kill(process.pid, how)
    assert process.wait(40) == (0 if how == signal.SIGINT else -signal.SIGKILL)
    deadline = time.monotonic() + 20
    while not port_is_free(database_port) and time.monotonic() < deadline:
        time.sleep(0.05)
    assert port_is_free(database_port)
    while any(Path(f"/proc/{pid}").exists() for pid in children) and time.monotonic() < deadline:
        time.sleep(0.05)
    assert not any(Path(f"/proc/{pid}").exists() for pid in children)
    assert port_is_free(int(address.rsplit(":", 1)[1]))


@pytest.mark.parametrize("heeds", [True, False])
def test_what_a_child_started_itself_ends_with_it(heeds, tmp_path):
    """Whether it goes when it is asked to, leaving helpers that wait for it for ever, or does not go at all."""
    told = tmp_path / "helper"
    script = f"""
import pathlib, signal, subprocess, sys, time
if not {heeds}:
    signal.signal(signal.SIGTERM, signal.SIG_IGN)
helper = subprocess.Popen([sys.executable, "-c", "import time; time.sleep(600)"])
pathlib.Path({str(told)!r}).write_text(str(helper.pid))
time.sleep(600)
"""
    child = subprocess.Popen([sys.executable, "-c", script], start_new_session=True)
    deadline = time.monotonic() + 20
    while not (told.exists() and told.read_text()) and time.monotonic() < deadline:
        time.sleep(0.02)
    helper = Path(f"/proc/{told.read_text()}")
    assert helper.exists()
    child.terminate()
    supervise._see_out(child, 0.5)
    assert child.returncode is not None
    deadline = time.monotonic() + 5
    while helper.exists() and "State:\tZ" not in (helper / "status").read_text() and time.monotonic() < deadline:
        time.sleep(0.02)
    assert not helper.exists() or "State:\tZ" in (helper / "status").read_text()
