"""grade: a surface's grade from and to a colour decision list."""

from pathlib import Path
from typing import Annotated

import typer

from verdigris.cli.terminal import console


def grade(
    shot: Annotated[Path, typer.Argument(help="Shot document (JSON).")],
    surface: Annotated[str, typer.Option(help="Surface by id.")],
    cdl: Annotated[Path | None, typer.Option(help="ASC CDL to read: .cc, .ccc or .cdl.")] = None,
    out: Annotated[Path | None, typer.Option(help="Document to write, with the grade in it.")] = None,
    write: Annotated[Path | None, typer.Option(help="Write the surface's grade to this .cc instead.")] = None,
) -> None:
    """Give what lies on a surface a grade from an ASC CDL, or write the one it has."""
    from verdigris.formats.cdl import Cdl, read_cdl, write_cdl
    from verdigris.shot.edits.edit import apply_edit
    from verdigris.shot.edits.placements import SetMatch
    from verdigris.shot.model.document import read_shot
    from verdigris.shot.model.match import Grade, SurfaceMatch

    if (cdl is None) == (write is None) or (cdl is None) != (out is None):
        raise typer.BadParameter("Say --cdl and --out to read a grade, or --write to write one.")
    document = read_shot(shot)
    match = next((m for m in document.match if m.surface == surface), SurfaceMatch(surface=document.surface(surface).id))
    if write is not None:
        now = match.grade or Grade()
        write.write_text(write_cdl(Cdl(now.slope, now.offset, now.power, now.saturation), surface), encoding="utf-8")
        console.print(f"{write}")
        return
    assert cdl is not None
    assert out is not None
    found = read_cdl(cdl.read_text(encoding="utf-8", errors="replace"))
    before = match.grade or Grade()
    told = {"slope": found.slope, "offset": found.offset, "power": found.power, "saturation": found.saturation}
    graded = match.model_copy(update={"grade": before.model_copy(update=told)})
    out.write_text(apply_edit(document, SetMatch(match=graded)).model_dump_json(indent=1, exclude_none=True) + "\n", encoding="utf-8")
    console.print(f"{out}")
