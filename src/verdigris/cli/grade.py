"""grade: a colour decision list, a table or a look for a surface or the whole picture; and the grade there is, as a file."""

from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from verdigris.cli.terminal import console

if TYPE_CHECKING:
    from verdigris.shot.model.document import Shot
    from verdigris.shot.model.match import Grade


# What a colour decision list holds.
LISTED = ("slope", "offset", "power", "saturation")


def grade(
    shot: Annotated[Path, typer.Argument(help="Shot document (JSON).")],
    surface: Annotated[str | None, typer.Option(help="Surface by id; without it, the whole picture.")] = None,
    cdl: Annotated[Path | None, typer.Option(help="ASC CDL to read: .cc, .ccc or .cdl.")] = None,
    lut: Annotated[Path | None, typer.Option(help="Table to use: .cube, .clf, .csp, .spi1d, .spi3d, .3dl; or an .ocioz.")] = None,
    look: Annotated[str | None, typer.Option(help="Which look of the .ocioz.")] = None,
    out: Annotated[Path | None, typer.Option(help="Document to write, with the grade in it.")] = None,
    write: Annotated[Path | None, typer.Option(help="Write the grade to this .cc or .cube instead.")] = None,
) -> None:
    """Grade what lies on a surface, or the whole picture; or write the grade there is."""
    import os

    from verdigris.cli.paths import moved
    from verdigris.formats.cdl import read_cdl
    from verdigris.media.lut import lut_facts
    from verdigris.shot.edits.edit import apply_edit
    from verdigris.shot.edits.placements import SetMatch
    from verdigris.shot.edits.whole import SetGrade
    from verdigris.shot.model.document import read_shot
    from verdigris.shot.model.match import Grade, SurfaceMatch
    from verdigris.shot.model.media import MediaRef

    reads = cdl is not None or lut is not None
    if reads == (write is not None) or reads != (out is not None) or (look is not None and lut is None):
        raise typer.BadParameter("Say --cdl or --lut (with --look for one of an .ocioz), and --out; or --write.")
    document = read_shot(shot)
    match = None if surface is None else _match_of(document, surface)
    now = (document.grade if match is None else match.grade) or Grade()
    if write is not None:
        _write(write, now, surface or document.name, shot.parent)
        console.print(f"{write}")
        left = Grade.model_validate({**Grade().model_dump(), **now.model_dump(include=set(LISTED))})
        if write.suffix.lower() != ".cube" and left != now.model_copy(update={"strength": left.strength}):
            console.print(
                "A .cc holds slope, offset, power and saturation alone; the rest of this grade is not in it. A .cube holds all of it."
            )
        return
    assert out is not None
    told: dict[str, Any] = {}
    if cdl is not None:
        found = read_cdl(cdl.read_text(encoding="utf-8", errors="replace"))
        told |= {"slope": found.slope, "offset": found.offset, "power": found.power, "saturation": found.saturation}
    document = moved(document, shot.parent, out.parent)
    if lut is not None:
        lut_facts(lut, lut.name)
        told |= {"lut": MediaRef(path=os.path.relpath(lut.resolve(), out.parent.resolve())), "look": look}
    graded = Grade.model_validate({**now.model_dump(), **told})
    edit = SetGrade(grade=graded) if match is None else SetMatch(match=SurfaceMatch.model_validate({**match.model_dump(), "grade": graded}))
    out.write_text(apply_edit(document, edit).model_dump_json(indent=1, exclude_none=True) + "\n", encoding="utf-8")
    console.print(f"{out}")


def _match_of(document: "Shot", surface: str) -> Any:
    from verdigris.shot.model.match import SurfaceMatch

    return next((m for m in document.match if m.surface == surface), SurfaceMatch(surface=document.surface(surface).id))


def _write(path: Path, grade: "Grade", title: str, base: Path) -> None:
    """A .cc holds the list alone; a .cube all of it, on display codes."""
    from verdigris.formats.cdl import Cdl, write_cdl
    from verdigris.formats.cube import write_cube
    from verdigris.runs.scene.artwork import resolve
    from verdigris.runs.scene.grade import on_display

    if path.suffix.lower() == ".cube":
        path.write_text(write_cube(on_display(grade, lambda ref: resolve(ref, base)), title), encoding="utf-8")
    else:
        path.write_text(write_cdl(Cdl(grade.slope, grade.offset, grade.power, grade.saturation), title), encoding="utf-8")
