"""Entry point of all commands behind the launcher."""

import errno
import sys
import tempfile
import traceback

import typer

from verdigris.cli import advise, headless, service
from verdigris.cli.artwork import artwork
from verdigris.cli.frame import frame
from verdigris.cli.grade import grade
from verdigris.cli.match import match
from verdigris.cli.matte import matte
from verdigris.cli.terminal import EXIT_CODES, fail

_EPILOG = "Exit codes: " + "; ".join(f"{code} {text}" for code, text in EXIT_CODES.items()) + "."

app = typer.Typer(
    name="verdigris", help="Follow a plane, pin new artwork onto it, keep the evidence in view.", epilog=_EPILOG,
    no_args_is_help=True, add_completion=False, pretty_exceptions_enable=False, rich_markup_mode=None,
)  # fmt: skip
for command in (
    headless.probe, headless.track, headless.render, headless.anchor, matte, match, grade, frame,
    advise.propose, advise.passing, advise.disagreements, advise.lens,
    advise.points, advise.references, advise.jitter,
    service.export, service.bench,
):  # fmt: skip
    app.command(epilog=_EPILOG)(command)
app.add_typer(artwork, name="artwork", epilog=_EPILOG)
app.command("import", epilog=_EPILOG)(service.import_shot)
for hidden in (service.web, service.worker, service.migrate, service.openapi):
    app.command(hidden=True)(hidden)
app.command("demo-project", hidden=True)(service.demo_project)


# Processes of the application: what goes wrong there belongs whole into their logs.
SERVICES = ("web", "worker", "migrate", "openapi", "demo-project")


def main() -> None:
    """Run a command; every error becomes a sentence and an exit code, and none a traceback."""
    from verdigris.problem import Problem
    from verdigris.runs.errors import RunError
    from verdigris.store.errors import StoreError

    try:
        app(prog_name="./verdigris")
    except Problem as error:
        code = 4 if isinstance(error, RunError) else 1 if isinstance(error, StoreError) and error.code != "not_found" else 3
        sys.exit(fail(error.sentence, code))
    except KeyboardInterrupt:
        sys.exit(fail("stopped; what was done is kept.", 130))
    except OSError as error:
        if error.errno in (errno.ENOSPC, errno.EDQUOT):
            sys.exit(fail("the disk is full. Make room, then run the same command: it goes on with what is kept.", 1))
        sys.exit(fail(f"{error.strerror or error} ({error.filename})" if error.filename else str(error), 1))
    except Exception as error:
        if sys.argv[1:2] and sys.argv[1] in SERVICES:
            raise
        sys.exit(fail(_unexpected(error), 1))


def _unexpected(error: Exception) -> str:
    """What to tell of an error that nobody foresaw, with its details kept in a file for whoever mends it."""
    with tempfile.NamedTemporaryFile("w", prefix="verdigris-", suffix=".txt", delete=False) as details:
        traceback.print_exception(error, file=details)
    return f"something unexpected went wrong ({type(error).__name__}). The details are in {details.name}; what was done is kept."


if __name__ == "__main__":
    main()
