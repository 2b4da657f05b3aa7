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
    from verdigris.media.stills import write_matte
    from verdigris.media.whole import whole_file
    from verdigris.runs.render.handover import still_name
    from verdigris.runs.render.open_shot import OpenShot, render_key
    from verdigris.shot.model.document import read_shot

    if form not in ("png", "exr"):
        raise typer.BadParameter(f"{form} is not a form; png and exr are.")
    if depth not in (8, 16):
        raise typer.BadParameter("A PNG has 8 or 16 bits.")
    document = read_shot(shot)
    one = document.matte(matte)
    with OpenShot(document, shot.parent) as opened:
        needed = {one.surface, *(p.rides for p in one.parts if p.kind == "shape"), *(p.surface for p in one.parts if p.kind == "region")}
        needed |= {document.occluder(p.outline).rides for p in one.parts if p.kind == "outline"}
        tracks = tracks_for(opened, document, track, {x for x in needed if x is not None})
        count = opened.plate.facts.frame_count
        out.mkdir(parents=True, exist_ok=True)
        # Stills of an earlier document or track are not taken for these.
        marker, key = out / ".rendering", f"{render_key(document, tracks)} {depth}"
        if not marker.exists() or marker.read_text() != key:
            for old in out.glob(f"{matte}.*.{form}"):
                old.unlink()
            marker.write_text(key)
        paths = [out / still_name(matte, n + opened.first_frame, form) for n in range(count)]
        first = next((n for n, path in enumerate(paths) if not path.exists()), count)
        with progress_bar("drawing the matte") as progress:
            for n, cover in enumerate(opened.matte_frames(one, tracks, first, count), start=first):
                with whole_file(paths[n]) as unfinished:
                    write_matte(unfinished, cover, form, depth)
                progress(n + 1, count)
        marker.unlink()
    if json:
        print_json({"out": str(out), "matte": matte, "frames": count, "form": form})
    else:
        console.print(f"{count} frames of {one.name or matte} in {out}")
