"""Run web process and workers, and end exactly what was started."""

import fcntl
import json
import os
import secrets
import signal
import subprocess
import sys
import threading
import time
import urllib.error
import urllib.request
from contextlib import suppress
from pathlib import Path
from typing import IO

from launch.cluster import Cluster, application_cluster, free_port, port_is_free
from launch.install import LOGS, PYTHON, ROOT
from launch.say import LaunchError, say

WEB_PORT = 8765


def _lock() -> IO[str]:
    (ROOT / "var").mkdir(exist_ok=True)
    handle = (ROOT / "var" / "running.lock").open("a+")
    try:
        fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except BlockingIOError as error:
        handle.seek(0)
        raise LaunchError(f"Verdigris is running already: {handle.read().strip() or 'starting up'}") from error
    return handle


def _spawn(name: str, env: dict[str, str], *args: str) -> subprocess.Popen[bytes]:
    LOGS.mkdir(parents=True, exist_ok=True)
    log = (LOGS / f"{name}.log").open("ab")
    # Its own session: Ctrl-C in the terminal reaches us only, and we end children in order.
    return subprocess.Popen(
        [str(PYTHON), "-m", "verdigris.cli.main", *args],
        env=env, stdin=subprocess.DEVNULL, stdout=log, stderr=log, start_new_session=True, cwd=ROOT,
    )  # fmt: skip


def _answers(url: str, token: str) -> bool:
    """Whether the web process of this very start answers there."""
    try:
        with urllib.request.urlopen(url, timeout=2) as response:
            return bool(json.load(response).get("start") == token)
    except (urllib.error.URLError, OSError, ValueError, AttributeError):
        return False


def serve(demo: bool, port: int | None, workers: int) -> int:
    """Start everything, stay until Ctrl-C or SIGTERM, and clean up."""
    lock = _lock()
    stopping = threading.Event()
    for sig in (signal.SIGINT, signal.SIGTERM, signal.SIGHUP):
        signal.signal(sig, lambda *_: stopping.set())
    cluster = application_cluster()
    if port is not None and not port_is_free(port):
        raise LaunchError(f"Port {port} is in use by another program. Choose another one with --port, or leave it out.")
    say("Starting the database ...")
    # One that runs already was left by a start that was killed: the lock says that nobody else uses it.
    cluster.start()
    guard = end_with_this_process(cluster)
    token = secrets.token_hex(16)
    children: dict[str, subprocess.Popen[bytes]] = {}
    try:
        port = port or (WEB_PORT if port_is_free(WEB_PORT) else free_port())
        media = os.environ.get("VERDIGRIS_MEDIA_DIR") or str(ROOT / "var" / "media")
        env = {
            **os.environ,
            "VERDIGRIS_DATABASE_URL": cluster.create_database("verdigris"),
            "VERDIGRIS_MEDIA_DIR": media,
            "VERDIGRIS_PORT": str(port),
            "VERDIGRIS_START_TOKEN": token,
        }
        (ROOT / "var" / "app.env").touch(mode=0o600)
        (ROOT / "var" / "app.env").write_text("".join(f"{k}={v}\n" for k, v in env.items() if k.startswith("VERDIGRIS_")))
        env["VERDIGRIS_PARENT"] = str(os.getpid())
        # The web process asks nothing of the tables while it comes up: both can begin at once.
        children["web"] = _spawn("web", env, "web")
        _call(env, "migrate")
        for i in range(workers):
            children[f"worker-{i + 1}"] = _spawn(f"worker-{i + 1}", env, "worker", "--name", f"worker-{i + 1}")
        address = f"http://127.0.0.1:{port}"
        _wait_until_up(address, token, children["web"], stopping)
        lock.truncate(0)
        lock.write(address + "\n")
        lock.flush()
        if not stopping.is_set():
            print(f"\nVerdigris is at {address}\nCtrl-C ends it. Logs: {LOGS}", flush=True)
        if demo:
            # Shots appear on the Board as they are made; looking round can begin at once.
            try:
                _call(env, "demo-project", stopping=stopping)
            except LaunchError:
                say("The demo project is not whole; the message is above. Start again to go on with it.")
        _watch(children, env, cluster, stopping)
        say("Stopping ...")
    finally:
        _end(children)
        cluster.stop()
        guard.kill()
        guard.wait()
        lock.truncate(0)
        lock.close()
    return 0


def _call(env: dict[str, str], *args: str, stopping: threading.Event | None = None) -> None:
    process = subprocess.Popen([str(PYTHON), "-m", "verdigris.cli.main", *args], env=env, cwd=ROOT, start_new_session=True)
    while process.poll() is None:
        time.sleep(0.1)
        if stopping is not None and stopping.is_set():
            process.terminate()
            _see_out(process, 20)
            return
    if process.returncode:
        raise LaunchError(f"{args[0]} failed; the message is above.")


def _wait_until_up(address: str, token: str, web: subprocess.Popen[bytes], stopping: threading.Event) -> None:
    deadline = time.monotonic() + 60
    while not _answers(f"{address}/api/health", token):
        if stopping.is_set():
            return
        if web.poll() is not None or time.monotonic() > deadline:
            raise LaunchError(f"The web process did not come up; its log is {LOGS / 'web.log'}.")
        time.sleep(0.15)


def _watch(children: dict[str, subprocess.Popen[bytes]], env: dict[str, str], cluster: Cluster, stopping: threading.Event) -> None:
    while not stopping.wait(0.5):
        if not cluster.answers() and not cluster.running():
            say("The database ended; starting it again.")
            cluster.start(same_port=True)
        for name, child in list(children.items()):
            if child.poll() is None:
                continue
            say(f"{name} ended with status {child.returncode}; starting it again (log: {LOGS / f'{name}.log'}).")
            stopping.wait(1.0)
            args = ["web"] if name == "web" else ["worker", "--name", name]
            children[name] = _spawn(name, env, *args)


def _end(children: dict[str, subprocess.Popen[bytes]]) -> None:
    for child in children.values():
        if child.poll() is None:
            child.terminate()
    deadline = time.monotonic() + 15
    for child in children.values():
        _see_out(child, max(0.1, deadline - time.monotonic()))


def _see_out(child: subprocess.Popen[bytes], seconds: float) -> None:
    """Wait for a child that was asked to end, then end what it leaves behind: its own children do not notice by themselves."""
    with suppress(subprocess.TimeoutExpired):
        child.wait(seconds)
    with suppress(ProcessLookupError):
        os.killpg(child.pid, signal.SIGKILL)
    child.wait()


def end_with_this_process(cluster: Cluster) -> subprocess.Popen[bytes]:
    """A small process that stops the database should this one be killed: it notices by the pipe between them."""
    return subprocess.Popen(
        [sys.executable, str(ROOT / "launch" / "guard.py"), str(cluster.folder)],
        stdin=subprocess.PIPE, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, start_new_session=True, cwd=ROOT,
    )  # fmt: skip


def application_env() -> Path:
    """Where the address of the running application's database is written."""
    return ROOT / "var" / "app.env"
