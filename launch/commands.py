"""The launcher's commands: set up what a command needs, then hand over to it."""

import argparse
import os
import subprocess
from collections.abc import Callable
from pathlib import Path

from launch import install
from launch.cluster import throwaway_cluster
from launch.say import LaunchError, say
from launch.supervise import application_env, serve

# Commands of the application itself, handed over as they are.
HEADLESS = {
    "probe": "facts of a film or numbered stills",
    "track": "follow the planes of a shot document",
    "propose": "which motion would be enough for a followed surface, with figures",
    "disagreements": "where the region does not move with the plane",
    "passing": "a matte for what passes in front of a surface",
    "lens": "the lens, from drawn lines or from a track",
    "points": "how well each single point holds to the plane of all",
    "references": "which frames would serve best as the reference",
    "jitter": "movement left at the corners, measured in the plate",
    "anchor": "give a followed surface another reference frame",
    "matte": "render a matte to stills",
    "match": "measure how artwork would sit, and take proposals over",
    "grade": "a colour decision list or a table into a document, or out of it",
    "frame": "write a frame of the plate to draw over",
    "artwork": "artwork on the shelf of a project: add, list, use",
    "render": "render a shot document to a film or stills",
    "export": "write a shot of the application as a document",
    "import": "bring a shot document into the application",
    "bench": "measure accuracy and speed",
}


def _demo(args: argparse.Namespace) -> int:
    _prepare_application()
    return serve(demo=True, port=args.port, workers=args.workers)


def _start(args: argparse.Namespace) -> int:
    _prepare_application()
    return serve(demo=False, port=args.port, workers=args.workers)


def _prepare_application() -> None:
    install.ensure_postgres()
    install.ensure_python()
    install.ensure_web()


def _worker(args: argparse.Namespace) -> int:
    install.ensure_python()
    env = _with_application(dict(os.environ))
    if "VERDIGRIS_DATABASE_URL" not in env:
        raise LaunchError("A worker needs VERDIGRIS_DATABASE_URL and VERDIGRIS_MEDIA_DIR, or a running ./verdigris start here.")
    return subprocess.call([str(install.PYTHON), "-m", "verdigris.cli.main", "worker", "--name", args.name], env=env)


def _check(args: argparse.Namespace) -> int:
    install.ensure_python()
    install.ensure_node_modules()
    python, web = str(install.PYTHON), install.WEB
    format_flag = ["format"] if args.fix else ["format", "--check"]
    steps: list[tuple[str, list[str], Path]] = [
        ("format", [python, "-m", "ruff", *format_flag, "."], install.ROOT),
        ("lint", [python, "-m", "ruff", "check", *(["--fix"] if args.fix else []), "."], install.ROOT),
        ("types", [python, "-m", "mypy"], install.ROOT),
        ("layers", [str(install.VENV / "bin" / "lint-imports")], install.ROOT),
        (
            "API client is current",
            [python, "-m", "verdigris.cli.main", "openapi", *([] if args.fix else ["--check"])],
            install.ROOT,
        ),
        ("web format", ["npm", "run", "--silent", "format:fix" if args.fix else "format"], web),
        ("web lint", ["npm", "run", "--silent", "lint"], web),
        ("web types", ["npm", "run", "--silent", "types"], web),
        ("web layers", ["npm", "run", "--silent", "layers"], web),
    ]
    failed = []
    for title, command, cwd in steps:
        say(f"check: {title}")
        if subprocess.call(command, cwd=cwd):
            failed.append(title)
    if failed:
        say(f"Not in order: {', '.join(failed)}. ./verdigris check --fix mends format, lint and the client.")
        return 1
    say("check: all in order")
    return 0


def _test(args: argparse.Namespace) -> int:
    install.ensure_postgres()
    install.ensure_python()
    if args.quick:
        return _quick_test(args)
    install.ensure_chromium()
    install.ensure_web()
    if not args.no_check and not args.rest:
        checked = _check(argparse.Namespace(fix=False))
        if checked:
            return checked
        if subprocess.call(["npm", "run", "--silent", "test"], cwd=install.WEB):
            return 1
    # A whole run goes side by side, a file in one process; a part of it stays in one, where it is easier to follow.
    spread = [] if args.rest else ["-n", str(os.cpu_count() or 1), "--dist", "loadfile", "--no-loadscope-reorder"]
    return _pytest([*spread, *args.rest])


def _quick_test(args: argparse.Namespace) -> int:
    """What tells soonest: everything that neither follows many frames nor runs the application."""
    install.ensure_node_modules()
    web = subprocess.Popen(["npm", "run", "--silent", "test"], cwd=install.WEB, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True)
    failed = _pytest(["-m", "not slow", "-n", str(os.cpu_count() or 1), *(args.rest or ["tests"])])
    told, _ = web.communicate()
    if web.returncode:
        print(told)
    return failed or web.returncode


def _pytest(arguments: list[str]) -> int:
    cluster = throwaway_cluster()
    try:
        say("Starting a throw-away database for the tests ...")
        cluster.start()
        env = {**os.environ, "VERDIGRIS_TEST_DATABASE": cluster.create_database("verdigris_test")}
        return subprocess.call([str(install.PYTHON), "-m", "pytest", *arguments], cwd=install.ROOT, env=env)
    finally:
        cluster.stop()
        subprocess.call(["rm", "-rf", str(cluster.folder.parent)])


def _with_application(env: dict[str, str]) -> dict[str, str]:
    if application_env().exists():
        lines = application_env().read_text().splitlines()
        env = {**dict(line.split("=", 1) for line in lines), **env}
    return env


def _headless(name: str, rest: list[str]) -> int:
    install.ensure_python()
    env = _with_application(dict(os.environ)) if name in ("export", "import", "artwork") else dict(os.environ)
    os.execve(str(install.PYTHON), [str(install.PYTHON), "-m", "verdigris.cli.main", name, *rest], env)


def _parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(
        prog="./verdigris",
        description="Verdigris: follow a plane, pin new artwork onto it, keep the evidence in view.",
        epilog="export, import and artwork need the running application; what works on documents and films does not. Each has --help.",
    )
    sub = parser.add_subparsers(dest="command", required=True, metavar="command")
    commands: dict[str, tuple[Callable[[argparse.Namespace], int], str]] = {
        "demo": (_demo, "install what is missing and start with the demo project"),
        "start": (_start, "the same without demo data"),
    }
    for name, (function, text) in commands.items():
        p = sub.add_parser(name, help=text, description=text)
        p.add_argument("--port", type=int, help="web port on loopback (default 8765, or a free one)")
        p.add_argument("--workers", type=int, default=2, help="worker processes (default 2)")
        p.set_defaults(run=function)
    p = sub.add_parser("worker", help="one more worker for a running application")
    p.add_argument("--name", default="extra", help="name in the logs")
    p.set_defaults(run=_worker)
    p = sub.add_parser("test", help="run all tests against a throw-away database")
    p.add_argument("--quick", action="store_true", help="in under two minutes: what neither follows many frames nor runs the application")
    p.add_argument("--no-check", action="store_true", help="leave out format, lint, types and contracts")
    p.add_argument("rest", nargs="*", help="after --: given to pytest, for a part of the tests")
    p.set_defaults(run=_test)
    p = sub.add_parser("check", help="format, lint, types, import contracts, generated API client")
    p.add_argument("--fix", action="store_true", help="mend what can be mended")
    p.set_defaults(run=_check)
    for name, text in HEADLESS.items():
        sub.add_parser(name, help=text, add_help=False)
    return parser


def main(argv: list[str]) -> int:
    """Run one command; returns its exit status."""
    try:
        if argv and argv[0] in HEADLESS:
            return _headless(argv[0], argv[1:])
        args = _parser().parse_args(argv)
        run: Callable[[argparse.Namespace], int] = args.run
        return run(args)
    except LaunchError as error:
        say(f"verdigris: {error}")
        return 1
    except KeyboardInterrupt:
        return 130
