"""matte: a shot's mattes as stills."""

from pathlib import Path
from typing import Annotated

import typer

from verdigris.cli.headless import tracks_for
from verdigris.cli.terminal import console, print_json, progress_bar


def matte(
    shot: Annotated[Path, typer.Argument(help="Shot document (JSON).")],
    matte: Annotated[str, typer.Option(help="Matte by id.")],
    out: Annotated[Path, typer.Option(help="Folder for numbered stills.")],
    track: Annotated[Path | None, typer.Option(help="Track to use; without it the planes the matte needs are followed first.")] = None,
    form: Annotated[str, typer.Option(help="png or exr.")] = "png",
    depth: Annotated[int, typer.Option(help="Bits of a PNG: 8 or 16.")] = 16,
    json: Annotated[bool, typer.Option("--json", help="Print facts as JSON on standard output.")] = False,
) -> None:
    """Render a matte to stills: white is in front. A stopped run goes on where it was."""
    from verdigris.runs.render.open_shot import OpenShot
    from verdigris.shot.model.delivery import Delivery
    from verdigris.shot.model.document import read_shot

    if form not in ("png", "exr"):
        raise typer.BadParameter(f"{form} is not a form; png and exr are.")
    if depth not in (8, 16):
        raise typer.BadParameter("A PNG has 8 or 16 bits.")
    document = read_shot(shot)
    one = document.matte(matte)
    delivery = Delivery.model_validate({**document.delivery.model_dump(), "matte": matte, "still": None, "form": form, "depth": depth})
    document = document.model_copy(update={"delivery": delivery})
    with OpenShot(document, shot.parent) as opened:
        tracks = tracks_for(opened, document, track, document.surfaces_of(one))
        count = opened.plate.facts.frame_count
        with progress_bar("drawing the matte") as progress:
            opened.render(tracks, out, progress)
    if json:
        print_json({"out": str(out), "matte": matte, "frames": count, "form": form})
    else:
        console.print(f"{count} frames of {one.name or matte} in {out}")
