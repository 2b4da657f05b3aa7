"""The real application for tests and measurements: database, web process and workers of their own."""

import os
import signal
import subprocess
import sys
import time
import uuid
from pathlib import Path
from typing import Any

import httpx
import psycopg

from launch.cluster import free_port

ROOT = Path(__file__).resolve().parent.parent


def make_database(server_url: str, name: str) -> str:
    """A fresh database on the throw-away server, of this test process alone; returns its address."""
    name += os.environ.get("PYTEST_XDIST_WORKER", "")
    with psycopg.connect(server_url, autocommit=True) as connection:
        connection.execute(f'DROP DATABASE IF EXISTS "{name}" WITH (FORCE)')
        connection.execute(f'CREATE DATABASE "{name}"')
    return server_url.rsplit("/", 1)[0] + "/" + name


class LiveApp:
    """Web process and workers, started as the launcher starts them."""

    def __init__(self, server_url: str, folder: Path, workers: int = 1, **settings: str) -> None:
        self.url = make_database(server_url, f"live_{uuid.uuid4().hex[:8]}")
        self.folder, self.port = folder, free_port()
        self.address = f"http://127.0.0.1:{self.port}"
        self.env = {
            **os.environ,
            "VERDIGRIS_DATABASE_URL": self.url,
            "VERDIGRIS_MEDIA_DIR": str(folder / "media"),
            "VERDIGRIS_PORT": str(self.port),
            **{f"VERDIGRIS_{k.upper()}": v for k, v in settings.items()},
        }
        self.processes: list[subprocess.Popen[bytes]] = []
        folder.mkdir(parents=True, exist_ok=True)
        self.run("migrate")
        self.web = self.start("web")
        self.workers = [self.start_worker() for _ in range(workers)]
        self.http = httpx.Client(base_url=self.address, timeout=60)
        deadline = time.monotonic() + 60
        while True:
            try:
                if self.http.get("/api/health").status_code == 200:
                    break
            except httpx.TransportError:
                pass
            if time.monotonic() > deadline:
                raise RuntimeError((folder / "web.log").read_text()[-2000:])
            time.sleep(0.1)

    def run(self, *args: str) -> subprocess.CompletedProcess[str]:
        """Run a command against this application."""
        return subprocess.run(
            [sys.executable, "-m", "verdigris.cli.main", *args], env=self.env, check=True, capture_output=True, text=True, cwd=ROOT
        )

    def start(self, *args: str) -> subprocess.Popen[bytes]:
        """Start a process of the application."""
        log = (self.folder / f"{args[0]}.log").open("ab")
        process = subprocess.Popen([sys.executable, "-m", "verdigris.cli.main", *args], env=self.env, stdout=log, stderr=log, cwd=ROOT)
        self.processes.append(process)
        return process

    def start_worker(self) -> subprocess.Popen[bytes]:
        """Start one more worker."""
        return self.start("worker", "--name", f"w{len(self.processes)}")

    def kill_workers(self) -> None:
        """Kill all workers as a power cut would."""
        for worker in self.workers:
            worker.send_signal(signal.SIGKILL)
            worker.wait()
        self.workers = []

    def upload(self, path: Path, wait: bool = True) -> dict[str, Any]:
        """Upload one file and wait until it is read; returns the media."""
        answer = self.http.post("/api/uploads/file", params={"name": path.name}, content=path.read_bytes())
        answer.raise_for_status()
        sent: dict[str, Any] = answer.json()
        if wait and sent["job"]:
            self.wait(sent["job"])
        media: dict[str, Any] = self.http.get(f"/api/media/{sent['media']['hash']}").json()
        return media

    def job(self, job_id: str) -> dict[str, Any]:
        """A job as it is now."""
        answer: dict[str, Any] = self.http.get(f"/api/jobs/{job_id}").json()
        return answer

    def wait(self, job_id: str, seconds: float = 400, until: str = "") -> dict[str, Any]:
        """Wait until a job has ended, or is in a state."""
        deadline = time.monotonic() + seconds
        while time.monotonic() < deadline:
            job = self.job(job_id)
            if job["state"] == until or (not until and job["state"] not in ("waiting", "running")):
                return job
            time.sleep(0.1)
        raise TimeoutError(f"{self.job(job_id)}")

    def stop(self) -> None:
        """End everything."""
        self.http.close()
        for process in self.processes:
            if process.poll() is None:
                process.terminate()
        for process in self.processes:
            try:
                process.wait(10)
            except subprocess.TimeoutExpired:
                process.kill()
                process.wait()
