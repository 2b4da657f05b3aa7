"""Install what is missing: Debian packages, the locked Python environment, the web client."""

import hashlib
import os
import shutil
import subprocess
import sys
from collections.abc import Iterable
from pathlib import Path

from launch.say import LaunchError, run_step, say

ROOT = Path(__file__).resolve().parent.parent
VENV = ROOT / ".venv"
WEB = ROOT / "web"
LOGS = ROOT / "var" / "logs"
PYTHON = VENV / "bin" / "python"
CHROMIUM = Path("/usr/bin/chromium")


def digest(paths: Iterable[Path]) -> str:
    """SHA-256 over names and contents, to see whether a step has to be done again."""
    total = hashlib.sha256()
    for path in sorted(paths):
        total.update(str(path.relative_to(ROOT)).encode() + b"\0" + path.read_bytes())
    return total.hexdigest()


def postgres_bin() -> Path | None:
    """Folder of the newest PostgreSQL server programs, or None."""
    found = [p.parent for p in Path("/usr/lib/postgresql").glob("*/bin/postgres") if (p.parent / "initdb").exists()]
    return max(found, key=lambda p: int(p.parent.name)) if found else None


def _apt(packages: list[str], why: str) -> None:
    if os.geteuid() != 0:
        raise LaunchError(
            f"{why} is missing, and only root may install it. Run once:\n"
            f"  sudo apt-get install --no-install-recommends {' '.join(packages)}"
        )
    env = {**os.environ, "DEBIAN_FRONTEND": "noninteractive"}
    run_step("reading Debian's package list", ["apt-get", "update", "-q"], LOGS / "apt-update.log", env=env)
    run_step(
        f"installing {why} from Debian",
        ["apt-get", "install", "-y", "-q", "--no-install-recommends", *packages],
        LOGS / "apt-install.log",
        env=env,
        remedy="Check that the Debian package mirror can be reached, then run the command again.",
    )


def ensure_postgres() -> Path:
    """Folder of PostgreSQL's server programs, installing Debian's package when absent."""
    found = postgres_bin()
    if found is None:
        if os.geteuid() == 0:
            # The packaged "main" cluster is not ours to start: ask Debian not to make one.
            _apt(["postgresql-common"], "PostgreSQL's set-up tools")
            folder = Path("/etc/postgresql-common/createcluster.d")
            folder.mkdir(parents=True, exist_ok=True)
            (folder / "no-main.conf").write_text("create_main_cluster = false\n")
        _apt(["postgresql"], "PostgreSQL")
        found = postgres_bin()
    if found is None:
        raise LaunchError("PostgreSQL was installed, but its server is not under /usr/lib/postgresql.")
    return found


def ensure_chromium() -> None:
    """Debian's Chromium, which drives the tests of the interface."""
    if not CHROMIUM.exists():
        _apt(["chromium", "fonts-liberation"], "Chromium for the interface's tests")


def ensure_python() -> None:
    """The locked Python environment in `.venv`, made again when the lock changes."""
    if sys.version_info[:2] != (3, 11):
        raise LaunchError(f"Python 3.11 is needed; this is {sys.version.split()[0]}.")
    lock = ROOT / "requirements" / "lock.txt"
    want = digest([lock])
    stamp = VENV / "lock.sha256"
    if PYTHON.exists() and stamp.exists() and stamp.read_text() == want:
        return
    say("Setting up Python (about two minutes, once).")
    if subprocess.run([sys.executable, "-c", "import ensurepip, venv"], capture_output=True).returncode:
        _apt(["python3-venv"], "Python's venv module")
    run_step("making the Python environment", [sys.executable, "-m", "venv", "--clear", str(VENV)], LOGS / "venv.log")
    run_step(
        "installing the locked Python packages",
        [str(PYTHON), "-m", "pip", "install", "--no-input", "--no-deps", "--require-hashes", "-r", str(lock)],
        LOGS / "pip.log",
        remedy="Check that the Python package index can be reached, then run the command again.",
    )
    site = next((VENV / "lib").glob("python3*/site-packages"))
    (site / "verdigris-source.pth").write_text(f"{ROOT / 'src'}\n{ROOT}\n")
    stamp.write_text(want)


def ensure_node_modules() -> None:
    """The locked web packages, made again when the lock changes."""
    if shutil.which("node") is None or shutil.which("npm") is None:
        _apt(["nodejs", "npm"], "Node")
    lock = WEB / "package-lock.json"
    want = digest([lock])
    stamp = WEB / "node_modules" / ".lock.sha256"
    if stamp.exists() and stamp.read_text() == want:
        return
    run_step(
        "installing the locked web packages",
        ["npm", "ci", "--no-audit", "--no-fund"],
        LOGS / "npm.log",
        cwd=WEB,
        remedy="Check that the npm registry can be reached, then run the command again.",
    )
    stamp.write_text(want)


def ensure_web() -> None:
    """The built web client in `web/dist`, built again when its sources change."""
    sources = [p for p in (WEB / "src").rglob("*") if p.is_file()]
    sources += [WEB / n for n in ("index.html", "package-lock.json", "vite.config.ts", "tsconfig.json")]
    sources += [p for p in (WEB / "public").rglob("*") if p.is_file()]
    want = digest(sources)
    stamp = WEB / "dist" / ".source.sha256"
    if stamp.exists() and stamp.read_text() == want:
        return
    ensure_node_modules()
    run_step("building the web client", ["npm", "run", "build"], LOGS / "web-build.log", cwd=WEB)
    stamp.write_text(want)
