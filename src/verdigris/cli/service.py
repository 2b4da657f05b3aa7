"""Commands of the application: web process, worker, migrations, demo project, export and import."""

import gc
from pathlib import Path
from typing import Annotated

import typer

from verdigris.cli.terminal import console, print_json, progress_bar


def web(port: Annotated[int | None, typer.Option(help="Port on loopback.")] = None) -> None:
    """Run the web process."""
    import uvicorn

    from verdigris.api.app import create_app
    from verdigris.logs import configure_logs
    from verdigris.settings import Settings

    configure_logs()
    _tie_to_parent()
    application = create_app()
    # What is imported stays; going through all of it for garbage held answers up by a fifth of a second now and then.
    gc.collect()
    gc.freeze()
    gc.set_threshold(20_000, 20, 50)
    uvicorn.run(application, host="127.0.0.1", port=port or Settings().port, log_level="warning", timeout_graceful_shutdown=2)


def worker(name: Annotated[str, typer.Option(help="Name in the logs.")] = "worker") -> None:
    """Run a worker."""
    from verdigris.jobs.worker import run_worker
    from verdigris.logs import configure_logs

    configure_logs()
    _tie_to_parent()
    run_worker(name)


def _tie_to_parent() -> None:
    from verdigris.process import die_with_parent
    from verdigris.settings import Settings

    if Settings().parent:
        die_with_parent(Settings().parent)


def migrate() -> None:
    """Bring the database to the current schema."""
    from verdigris.jobs.queue import install_queue
    from verdigris.settings import Settings
    from verdigris.store.migrate import migrate as run

    run(Settings().database_url)
    install_queue(Settings().database_url)


def openapi(check: Annotated[bool, typer.Option(help="Only say whether the committed files are current.")] = False) -> None:
    """Write docs/openapi.json and the client's types, or check that they are current."""
    import json
    import subprocess
    import tempfile

    from verdigris.api.app import create_app

    root = Path(__file__).resolve().parents[3]
    schema = json.dumps(create_app().openapi(), indent=1) + "\n"
    target, client = root / "docs" / "openapi.json", root / "web" / "src" / "api" / "schema.d.ts"
    with tempfile.TemporaryDirectory() as temporary:
        source, made = Path(temporary) / "openapi.json", Path(temporary) / "schema.d.ts"
        source.write_text(schema)
        subprocess.run(
            ["npx", "--no-install", "openapi-typescript", str(source), "-o", str(made)],
            cwd=root / "web",
            check=True,
            capture_output=True,
        )
        current = target.exists() and target.read_text() == schema and client.exists() and client.read_text() == made.read_text()
        if check:
            if not current:
                console.print("The API client is not current; run ./verdigris check --fix.")
                raise typer.Exit(1)
            return
        target.parent.mkdir(exist_ok=True)
        client.parent.mkdir(parents=True, exist_ok=True)
        target.write_text(schema)
        client.write_text(made.read_text())


def demo_project() -> None:
    """Make the demo project unless there is one: by the real jobs, which a running worker must do."""
    from verdigris.demo.project import make_demo_project
    from verdigris.settings import Settings

    make_demo_project(Settings(), progress_bar)


def export(
    shot: Annotated[str | None, typer.Argument(help="Id of the shot; without it the shots are listed.")] = None,
    out: Annotated[Path | None, typer.Option(help="Folder for the document, its media and its tracks.")] = None,
    json: Annotated[bool, typer.Option("--json", help="List as JSON.")] = False,
) -> None:
    """Write a shot of the application as a document with its media and tracks beside it."""
    from verdigris.settings import Settings
    from verdigris.store.transfer import export_shot, shot_names

    if shot is None:
        names = shot_names(Settings())
        if json:
            print_json(names)
        else:
            for item in names:
                typer.echo(f"{item['id']}  {item['project']} / {item['name']}")
        return
    if out is None:
        raise typer.BadParameter("Say where to: --out FOLDER.")
    written = export_shot(Settings(), shot, out)
    typer.echo(str(written))


def import_shot(
    document: Annotated[Path, typer.Argument(help="Shot document (JSON).")],
    track: Annotated[Path | None, typer.Option(help="Tracks to bring along (JSON).")] = None,
    project: Annotated[str, typer.Option(help="Project to put it into; made when it is not there.")] = "Imported",
) -> None:
    """Bring a shot document with its media into the application."""
    from verdigris.jobs.intake import import_document
    from verdigris.settings import Settings

    typer.echo(str(import_document(Settings(), document, track, project)))


def bench(
    what: Annotated[str, typer.Argument(help="all, tracking, render, composite, match, memory, interface; hostile or kills")] = "all",
    quick: Annotated[bool, typer.Option(help="Fewer frames, for a first look.")] = False,
    count: Annotated[int | None, typer.Option(min=1, help="How many damaged files, or kills.")] = None,
    seed: Annotated[int, typer.Option(min=0, help="What they are made from.")] = 1,
) -> None:
    """Measure accuracy and speed as ratios within one run, and write bench/RESULTS.md; or try damaged files and kills."""
    import subprocess
    import sys

    root = Path(__file__).resolve().parents[3]
    rest = [*(["--quick"] if quick else []), *(["--count", str(count)] if count else []), "--seed", str(seed)]
    raise typer.Exit(subprocess.call([sys.executable, "-m", "bench.run", what, *rest], cwd=root))
