"""frame: one frame of the plate to draw over."""

from pathlib import Path
from typing import Annotated

import typer

from verdigris.cli.headless import tracks_for
from verdigris.cli.terminal import console


def frame(
    shot: Annotated[Path, typer.Argument(help="Shot document (JSON).")],
    at: Annotated[int, typer.Option("--frame", help="Frame of the plate, as numbered on screen.")],
    out: Annotated[Path, typer.Option(help="Still to write: .png or .tif with 16 bits, or .exr.")],
    guides: Annotated[Path | None, typer.Option(help="PNG to write the surfaces' edges, thirds and middles to, transparent.")] = None,
    track: Annotated[Path | None, typer.Option(help="Track for the guides; without it the surfaces are followed first.")] = None,
) -> None:
    """Write a frame of the plate as a still. What is drawn over it is placed with "drawn_over" and rides from there."""
    from verdigris.runs.render.drawing_frame import FORMS, write_for_drawing, write_guides
    from verdigris.runs.render.open_shot import OpenShot
    from verdigris.shot.errors import ShotError
    from verdigris.shot.model.document import read_shot

    form = next((f for f in FORMS if out.suffix.lower() == f".{f}"), None)
    if form is None:
        raise typer.BadParameter("A still to draw over is a .png, .tif or .exr.")
    document = read_shot(shot)
    with OpenShot(document, shot.parent) as opened:
        n, count = at - opened.first_frame, opened.plate.facts.frame_count
        if not 0 <= n < count:
            last = opened.first_frame + count - 1
            raise ShotError("frame_outside", f"The plate has frames {opened.first_frame} to {last}; {at} is not among them.")
        write_for_drawing(out, opened.plate.frame(n), form)
        if guides is not None:
            surfaces = {s.id for s in document.surfaces if s.corners is not None}
            write_guides(guides, document, tracks_for(opened, document, track, surfaces), n, opened.plate.facts)
    console.print(f'{out}; place what is drawn over it with "drawn_over": {n}')
