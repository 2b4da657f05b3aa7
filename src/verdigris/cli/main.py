"""Entry point of all commands behind the launcher."""

import sys

import typer

from verdigris.cli import advise, headless, service
from verdigris.cli.terminal import EXIT_CODES, fail

_EPILOG = "Exit codes: " + "; ".join(f"{code} {text}" for code, text in EXIT_CODES.items()) + "."

app = typer.Typer(
    name="verdigris", help="Follow a plane, pin new artwork onto it, keep the evidence in view.", epilog=_EPILOG,
    no_args_is_help=True, add_completion=False, pretty_exceptions_enable=False, rich_markup_mode=None,
)  # fmt: skip
for command in (
    headless.probe, headless.track, headless.render, headless.anchor, advise.propose, advise.disagreements, advise.lens,
    advise.points, advise.references, advise.jitter,
    service.export, service.bench,
):  # fmt: skip
    app.command(epilog=_EPILOG)(command)
app.command("import", epilog=_EPILOG)(service.import_shot)
for hidden in (service.web, service.worker, service.migrate, service.openapi):
    app.command(hidden=True)(hidden)
app.command("demo-project", hidden=True)(service.demo_project)


def main() -> None:
    """Run a command; every expected error becomes one sentence and an exit code."""
    from verdigris.formats.errors import FormatError
    from verdigris.media.errors import MediaError
    from verdigris.runs.errors import RunError
    from verdigris.shot.errors import ShotError

    try:
        app(prog_name="./verdigris")
    except (MediaError, ShotError, FormatError) as error:
        sys.exit(fail(error.sentence, 3))
    except RunError as error:
        sys.exit(fail(error.sentence, 4))
    except KeyboardInterrupt:
        sys.exit(fail("stopped; what was done is kept.", 130))
    except OSError as error:
        sys.exit(fail(f"{error.strerror or error} ({error.filename})" if error.filename else str(error), 1))


if __name__ == "__main__":
    main()
