"""probe, track and render: no server and no database."""

from fractions import Fraction
from pathlib import Path
from typing import Annotated, Any

import typer

from verdigris.cli.terminal import console, print_json, progress_bar

Json = Annotated[bool, typer.Option("--json", help="Print facts as JSON on standard output.")]


def probe(media: Annotated[Path, typer.Argument(help="Film file, folder of numbered stills, or one still.")], json: Json = False) -> None:
    """Read the facts of a film or stills, counting its frames by decoding."""
    from verdigris.media.reader import open_media, verify_media

    with open_media(media) as reader, progress_bar("decoding") as progress:
        for n in verify_media(reader):
            progress(n, reader.facts.frame_count)
        facts = reader.facts
    if json:
        print_json(facts.model_dump(mode="json"))
        return
    rate = "no rate (stills carry none)" if facts.rate is None else f"{_rate(facts.rate)} frames a second"
    sound = "no sound" if facts.sound is None else f"{facts.sound.codec}, {facts.sound.channels} ch, {facts.sound.sample_rate} Hz"
    colour = facts.transfer if facts.matrix is None else f"{facts.matrix}, {'full' if facts.full_range else 'limited'} range"
    lines = {
        "kind": f"{facts.kind}, {facts.codec}, {facts.pixel_format}, {facts.bit_depth} bit",
        "size": f"{facts.width} x {facts.height}, pixels {facts.pixel_aspect.numerator}:{facts.pixel_aspect.denominator}",
        "frames": f"{facts.frame_count}, numbered from {facts.first_frame}",
        "rate": rate,
        "colour": colour + (", with transparency" if facts.has_alpha else ""),
        "sound": sound,
    }
    for name, value in lines.items():
        typer.echo(f"{name:8}{value}")
    for note in facts.notes:
        typer.echo(f"note    {note}")


def _rate(rate: Fraction) -> str:
    return str(rate.numerator) if rate.denominator == 1 else f"{rate.numerator}/{rate.denominator} ({float(rate):.3f})"


def track(
    shot: Annotated[Path, typer.Argument(help="Shot document (JSON).")],
    out: Annotated[Path, typer.Option(help="Track to write (JSON).")],
    csv: Annotated[Path | None, typer.Option(help="Corners as CSV as well; with several surfaces, one file each.")] = None,
    surface: Annotated[str | None, typer.Option(help="Only this surface, by id.")] = None,
    direction: Annotated[str, typer.Option(help="forwards, backwards or both, from the reference frame or into the span.")] = "both",
    keep: Annotated[Path | None, typer.Option(help="Track to keep; only the span from --first to --last is followed again.")] = None,
    first: Annotated[int | None, typer.Option(min=0, help="First frame of the span, counted from 0.")] = None,
    last: Annotated[int | None, typer.Option(min=0, help="Last frame of the span; default the first one alone.")] = None,
    json: Json = False,
) -> None:
    """Follow the planes of a shot. Begun tracks in OUT are gone on with, so a stopped run loses nothing."""
    from verdigris.core.tracking.follow import FrameResult
    from verdigris.formats.corners_csv import write_corners_csv
    from verdigris.formats.track_json import make_track, read_tracks, write_tracks
    from verdigris.runs.mending import mended, tied
    from verdigris.runs.project import OpenShot
    from verdigris.runs.tracking import follow_surface, in_depth_order
    from verdigris.shot.document import read_shot, tracking_key

    if direction not in ("forwards", "backwards", "both"):
        raise typer.BadParameter(f"{direction} is not a direction; forwards, backwards and both are.")
    if (keep is None) != (first is None):
        raise typer.BadParameter("A span needs both --keep and --first.")
    span = None if first is None else (first, first if last is None else last)
    kept = {} if keep is None else {t.surface: t.by_frame() for t in read_tracks(keep)}
    document = read_shot(shot)
    if surface is not None:
        document.surface(surface)
    tracks: dict[str, dict[int, FrameResult]] = {}
    with OpenShot(document, shot.parent) as opened:
        count = opened.plate.facts.frame_count
        for one in in_depth_order(document):
            if surface is not None and one.id != surface:
                continue
            if span is not None and one.id not in kept:
                continue
            half_done = out.with_name(f"{out.name}.{one.id}.{tracking_key(document, one)}.unfinished")
            results, again = dict(kept[one.id]) if span else _half_done(half_done), 0
            fresh: dict[int, FrameResult] = {}
            try:
                with progress_bar(f"following {one.name}") as progress:
                    for step in follow_surface(opened.plate, document, one, tracks, results, direction, span=span):  # type: ignore[arg-type]
                        again += step.again
                        fresh[step.result.frame] = step.result
                        if span is None:
                            results[step.result.frame] = step.result
                        progress(len(fresh) + again, (count if span is None else span[1] - span[0] + 1) + again)
            except KeyboardInterrupt:
                if span is None:
                    write_tracks(half_done, [make_track(one.id, one.reference_frame, results.values())])
                raise
            half_done.unlink(missing_ok=True)
            tracks[one.id] = mended(one, results if span is None else tied(one, results, fresh, span))
        made = [make_track(s, document.surface(s).reference_frame, r.values()) for s, r in tracks.items()]
        if not made:
            from verdigris.runs.errors import RunError

            raise RunError("not_tracked", "The document has no surface to follow.")
        write_tracks(out, made)
        if csv is not None:
            for surface_id, results in tracks.items():
                path = csv if len(tracks) == 1 else csv.with_name(f"{csv.stem}.{surface_id}{csv.suffix}")
                write_corners_csv(path, list(results.values()), opened.first_frame)
    summary = [_summary(s, r) for s, r in tracks.items()]
    if json:
        print_json(summary)
    else:
        for item in summary:
            console.print(f"{item['surface']}: {item['followed']} followed, {item['lost']} lost; median doubt {item['median_sigma_px']} px")


def _half_done(path: Path) -> dict[int, Any]:
    from verdigris.formats.track_json import read_tracks

    return read_tracks(path)[0].by_frame() if path.exists() else {}


def _summary(surface: str, results: dict[int, Any]) -> dict[str, Any]:
    import numpy as np

    sure = [float(r.sigma_px.max()) for r in results.values() if r.sigma_px is not None]
    return {
        "surface": surface,
        "followed": sum(r.status != "lost" for r in results.values()),
        "lost": sum(r.status == "lost" for r in results.values()),
        "median_sigma_px": round(float(np.median(sure)), 3) if sure else None,
    }


def render(
    shot: Annotated[Path, typer.Argument(help="Shot document (JSON).")],
    out: Annotated[Path, typer.Option(help="Film to write (.mp4), or folder for numbered stills.")],
    track: Annotated[Path | None, typer.Option(help="Track to use; without it the planes are followed first.")] = None,
    form: Annotated[str | None, typer.Option(help="mp4, png or exr; default from the document, or from OUT's ending.")] = None,
    json: Json = False,
) -> None:
    """Render a shot to a film or to stills. A stopped run goes on where it was."""
    from verdigris.core.tracking.follow import FrameResult
    from verdigris.formats.track_json import read_tracks
    from verdigris.runs.compose import check_ready, frames_without_track
    from verdigris.runs.mending import mended
    from verdigris.runs.project import OpenShot
    from verdigris.runs.tracking import follow_surface, in_depth_order
    from verdigris.shot.document import Delivery, read_shot

    document = read_shot(shot)
    chosen = form or ("mp4" if out.suffix == ".mp4" else document.delivery.form if document.delivery.form != "mp4" else "png")
    if chosen not in ("mp4", "png", "exr"):
        raise typer.BadParameter(f"{chosen} is not a form; mp4, png and exr are.")
    delivery = Delivery.model_validate({**document.delivery.model_dump(), "form": chosen})
    document = document.model_copy(update={"delivery": delivery})
    tracks: dict[str, dict[int, FrameResult]] = {}
    with OpenShot(document, shot.parent) as opened:
        count = opened.plate.facts.frame_count
        if track is not None:
            tracks = {t.surface: t.by_frame() for t in read_tracks(track)}
        else:
            needed = {p.surface for p in document.placements}
            for one in in_depth_order(document):
                if one.id in needed:
                    results: dict[int, FrameResult] = {}
                    with progress_bar(f"following {one.name}") as progress:
                        for step in follow_surface(opened.plate, document, one, tracks):
                            results[step.result.frame] = step.result
                            progress(min(len(results), count), count)
                    tracks[one.id] = mended(one, results)
        check_ready(document, tracks)
        with progress_bar("rendering") as progress:
            opened.render(tracks, out, progress)
        missing = frames_without_track(document, tracks, count)
    if missing:
        numbers = ", ".join(str(n + opened.first_frame) for n in missing[:12]) + (" ..." if len(missing) > 12 else "")
        console.print(f"{len(missing)} frames have no track; the plate passes unchanged there: {numbers}")
    if json:
        print_json({"out": str(out), "frames": count, "form": chosen, "frames_without_track": missing})


def propose(
    shot: Annotated[Path, typer.Argument(help="Shot document (JSON).")],
    track: Annotated[Path, typer.Option(help="Finished track (JSON).")],
    surface: Annotated[str | None, typer.Option(help="Surface by id; with a single one it need not be said.")] = None,
    json: Json = False,
) -> None:
    """Say which motion would be enough for a followed surface, with the figures of all models."""
    from dataclasses import asdict

    from verdigris.formats.track_json import read_tracks
    from verdigris.runs.advice import advise_motion
    from verdigris.runs.project import OpenShot
    from verdigris.shot.document import read_shot

    document = read_shot(shot)
    tracks = {t.surface: t.by_frame() for t in read_tracks(track)}
    one = document.surface(surface or next(iter(tracks), ""))
    with OpenShot(document, shot.parent) as opened:
        found = advise_motion(opened.plate, document, one, tracks, tracks.get(one.id, {}))
    if json:
        print_json(asdict(found))
        return
    typer.echo(f"{one.name}: {found.motion}. {found.reason}")
    for f in found.figures:
        typer.echo(
            f"  {f.motion:12} residual {f.residual_px:6.3f} px, left out {f.left_out_px:6.3f} px (give or take {f.left_out_sigma_px:.3f})"
        )


def disagreements(
    shot: Annotated[Path, typer.Argument(help="Shot document (JSON).")],
    surface: Annotated[str | None, typer.Option(help="Surface by id; default the first.")] = None,
    first: Annotated[int, typer.Option(min=0, help="First frame, counted from 0.")] = 0,
    last: Annotated[int | None, typer.Option(min=0, help="Last frame; default the end of the plate.")] = None,
    json: Json = False,
) -> None:
    """Follow a surface and outline where its region does not move with it: content, reflections, things in front."""
    from dataclasses import asdict

    from verdigris.core.tracking.follow import FrameResult
    from verdigris.runs.advice import advise_exclusions
    from verdigris.runs.errors import RunError
    from verdigris.runs.project import OpenShot
    from verdigris.runs.tracking import follow_surface
    from verdigris.shot.document import read_shot

    document = read_shot(shot)
    if not document.surfaces:
        raise RunError("not_tracked", "The document has no surface to follow.")
    one = document.surface(surface) if surface else document.surfaces[0]
    results: dict[int, FrameResult] = {}
    with OpenShot(document, shot.parent) as opened:
        count = opened.plate.facts.frame_count
        with progress_bar(f"following {one.name}") as progress:
            for step in follow_surface(opened.plate, document, one):
                results[step.result.frame] = step.result
                progress(min(len(results), count), count)
        found = advise_exclusions(opened.plate, document, one, {}, results, first, count - 1 if last is None else last)
    if json:
        print_json([{**asdict(d), "outline": d.outline.round(1).tolist()} for d in found])
        return
    if not found:
        typer.echo(f"{one.name}: the whole region moves with the plane.")
    for d in found:
        corner, opposite = d.outline.min(axis=0), d.outline.max(axis=0)
        what = "does not move with the plane" if d.kind == "content" else "is covered for a while"
        typer.echo(
            f"{100 * d.share_of_region:.0f} % of the region {what}, frames {d.frames[0]} to {d.frames[1]}: around x {corner[0]:.0f} to "
            f"{opposite[0]:.0f}, y {corner[1]:.0f} to {opposite[1]:.0f}; it loses {100 * d.helps:.0f} % of its weight by itself."
        )


def lens(
    shot: Annotated[Path, typer.Argument(help="Shot document (JSON).")],
    track: Annotated[Path | None, typer.Option(help="Finished track (JSON); without it, the lines drawn in the document are used.")] = None,
    surface: Annotated[str | None, typer.Option(help="Surface by id; with a single one it need not be said.")] = None,
    json: Json = False,
) -> None:
    """Estimate the lens: from lines that should be straight, or from a finished track; with the uncertainty of each term."""
    from verdigris.formats.track_json import read_tracks
    from verdigris.runs.advice import advise_camera
    from verdigris.runs.errors import RunError
    from verdigris.runs.project import OpenShot
    from verdigris.runs.tracking import lens_of_lines
    from verdigris.shot.document import read_shot

    document = read_shot(shot)
    with OpenShot(document, shot.parent) as opened:
        if track is not None:
            tracks = {t.surface: t.by_frame() for t in read_tracks(track)}
            one = document.surface(surface or next(iter(tracks), ""))
            found = advise_camera(opened.plate, document, one, tracks, tracks.get(one.id, {}))
            facts = {name: {"value": e.value, "sigma": e.sigma} for name, e in found.estimates.items() if name != "shutter"}
            note = f"frames fit {100 * found.gain:.1f} % better with them"
        elif document.lens.lines:
            drawn = lens_of_lines(document, opened.plate.facts)
            facts = {t: {"value": getattr(drawn.lens, t), "sigma": s} for t, s in drawn.sigma.items()}
            note = f"points lie {drawn.residual_px:.2f} px from straight, {drawn.before_px:.2f} px without a lens"
        else:
            raise RunError("no_evidence", "The document has no lines under lens.lines, and no track was given.")
    if json:
        print_json(facts)
        return
    for name, e in facts.items():
        value = e["value"]
        at = f"{value[0]:.1f}, {value[1]:.1f} px" if isinstance(value, tuple) else f"{value:.4f}"
        typer.echo(f"{name:8} {at}, give or take {e['sigma']:.4f}")
    typer.echo(note if facts else "Nothing but an ideal lens is needed.")


def anchor(
    shot: Annotated[Path, typer.Argument(help="Shot document (JSON).")],
    track: Annotated[Path, typer.Option(help="Track to state from another frame (JSON).")],
    frame: Annotated[int, typer.Option(min=0, help="New reference frame, counted from 0.")],
    out: Annotated[Path, typer.Option(help="Folder for the new shot.json and track.json.")],
    surface: Annotated[str | None, typer.Option(help="Surface by id; with a single one it need not be said.")] = None,
) -> None:
    """Give a followed surface another reference frame. Corners stay where they are, on every frame."""
    import json as plain

    from verdigris.formats.track_json import make_track, read_tracks, write_tracks
    from verdigris.runs.anchoring import anchored
    from verdigris.shot.document import read_shot

    document = read_shot(shot)
    tracks = {t.surface: t.by_frame() for t in read_tracks(track)}
    one = document.surface(surface or next(iter(tracks), ""))
    moved, stated = anchored(one, tracks.get(one.id, {}), frame)
    document = document.model_copy(update={"surfaces": [moved if s.id == one.id else s for s in document.surfaces]})
    out.mkdir(parents=True, exist_ok=True)
    (out / "shot.json").write_text(plain.dumps(document.to_json(), indent=1) + "\n", encoding="utf-8")
    tracks[one.id] = stated
    write_tracks(out / "track.json", [make_track(k, document.surface(k).reference_frame, t.values()) for k, t in tracks.items()])
