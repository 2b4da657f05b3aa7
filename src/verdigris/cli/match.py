"""match: measure how surfaces sit in their plate, and take proposals over."""

from pathlib import Path
from typing import Annotated, Any

import typer

from verdigris.cli.headless import tracks_for
from verdigris.cli.terminal import console, print_json, progress_bar


def match(
    shot: Annotated[Path, typer.Argument(help="Shot document (JSON).")],
    out: Annotated[Path, typer.Option(help="Document to write, with what is taken over; fields of light go into a folder beside it.")],
    track: Annotated[Path | None, typer.Option(help="Track to use; without it the surfaces are followed first.")] = None,
    take_over: Annotated[str, typer.Option(help="Parts to take over, with commas between; sure, or all.")] = "sure",
    surface: Annotated[str | None, typer.Option(help="Only this surface.")] = None,
    json: Annotated[bool, typer.Option("--json", help="Print proposals as JSON on standard output.")] = False,
) -> None:
    """Measure levels, light, reflections, softness, movement and grain where artwork is placed; print each proposal with its figures."""
    from verdigris.cli.paths import moved
    from verdigris.runs.errors import RunError
    from verdigris.runs.match.measure import measure, only_sure, with_proposals
    from verdigris.runs.match.proposal import Measured
    from verdigris.runs.match.stack import SurfaceStack
    from verdigris.runs.render.open_shot import OpenShot
    from verdigris.shot.model.document import read_shot, with_files
    from verdigris.shot.model.match import MEASURED, PARTS, SurfaceMatch
    from verdigris.shot.model.media import MediaRef

    asked = [p.strip() for p in take_over.split(",") if p.strip()]
    if unknown := [p for p in asked if p not in (*PARTS, "all", "sure")]:
        raise typer.BadParameter(f"{unknown[0]} is no part of a match; {', '.join(MEASURED)} are, and all, and sure.")
    if by_hand := [p for p in asked if p in PARTS and p not in MEASURED]:
        raise typer.BadParameter(f"Nothing measures {by_hand[0]}: it is set by hand. {', '.join(MEASURED)} are measured.")
    document = read_shot(shot)
    wanted = [s for s in document.surfaces if (s.id == surface if surface else any(p.surface == s.id for p in document.placements))]
    if not wanted:
        raise RunError(
            "nothing_placed", f"There is no surface {surface}." if surface else "Place artwork on a surface first: it is what is matched."
        )
    told: list[dict[str, Any]] = []
    with OpenShot(document, shot.parent) as opened:
        tracks = tracks_for(opened, document, track, {s.id for s in wanted})
        matches = {m.surface: m for m in document.match}
        folder = out.with_name(f"{out.stem}.match")
        for one in wanted:
            before = matches.get(one.id) or SurfaceMatch(surface=one.id)
            with progress_bar(f"measuring {one.name}") as progress:
                found: Measured = measure(
                    SurfaceStack(opened.plate, document, one, tracks, opened.mattes),
                    before,
                    folder,
                    progress,
                    old=opened.old_picture(before),
                )
            parts = [p for p in PARTS if "all" in asked or p in asked or ("sure" in asked and p in only_sure(found))]
            taken = with_proposals(before, found, parts)

            def beside(ref: MediaRef) -> MediaRef:
                fresh = ref.path is not None and (folder / ref.path).is_dir()
                return ref.model_copy(update={"path": f"{folder.name}/{ref.path}"}) if fresh else ref

            matches[one.id] = with_files(taken, beside)
            for p in found.proposals:
                over = p.part in parts and p.value is not None
                told.append(
                    {
                        "surface": one.id,
                        "part": p.part,
                        "sure": p.sure,
                        "taken_over": over,
                        "plate": p.plate,
                        "artwork": p.artwork,
                        "said": p.said,
                        "value": p.value,
                    }
                )
                if not json:
                    mark = "taken over" if over else "sure" if p.sure and p.value is not None else "-"
                    console.print(f"{one.name}: {p.part}: plate {p.plate}; artwork {p.artwork}; {mark}\n    {p.said}")
    document = document.model_copy(update={"match": list(matches.values())})
    document = moved(document, shot.parent, out.parent)
    out.write_text(document.model_dump_json(indent=1, exclude_none=True) + "\n", encoding="utf-8")
    if json:
        print_json(told)
