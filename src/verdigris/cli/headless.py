"""probe, track and render: no server and no database."""

from fractions import Fraction
from pathlib import Path
from time import monotonic
from typing import TYPE_CHECKING, Annotated, Any, get_args

import typer

from verdigris.cli.terminal import console, print_json, progress_bar, stopping

if TYPE_CHECKING:
    from collections.abc import Mapping

    from verdigris.core.tracking.sequence.frame_result import FrameResult
    from verdigris.formats.track_json import Track
    from verdigris.runs.render.open_shot import OpenShot
    from verdigris.shot.model.document import Shot
    from verdigris.shot.model.surface import Surface

# How often a track is kept while it is made: a run that is killed goes on from there.
KEEP_SECONDS = 2.0
Json = Annotated[bool, typer.Option("--json", help="Print facts as JSON on standard output.")]


def probe(media: Annotated[Path, typer.Argument(help="Film file, folder of numbered stills, or one still.")], json: Json = False) -> None:
    """Read the facts of a film or stills, counting its frames by decoding."""
    from verdigris.media.facts import colour_text
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
    colour = colour_text(facts)
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
    unmended: Annotated[bool, typer.Option(help="Write it as followed; render and import mend it, as the document says.")] = False,
    json: Json = False,
) -> None:
    """Follow the planes of a shot. Begun tracks in OUT are gone on with, so a stopped run loses nothing."""
    from verdigris.core.tracking.sequence.frame_result import FrameResult
    from verdigris.formats.corners_csv import write_corners_csv
    from verdigris.formats.track_json import make_track, read_tracks, write_tracks
    from verdigris.runs.follow.pace import SCALE, Pace
    from verdigris.runs.follow.surface import follow_surface, in_depth_order
    from verdigris.runs.render.open_shot import OpenShot
    from verdigris.runs.scene.mending import mended, tied
    from verdigris.shot.model.basis import tracking_key
    from verdigris.shot.model.document import read_shot

    if direction not in ("forwards", "backwards", "both"):
        raise typer.BadParameter(f"{direction} is not a direction; forwards, backwards and both are.")
    if (keep is None) != (first is None):
        raise typer.BadParameter("A span needs both --keep and --first.")
    span = None if first is None else (first, first if last is None else last)
    kept_tracks = {} if keep is None else {t.surface: t for t in read_tracks(keep)}
    kept = {k: t.by_frame() for k, t in kept_tracks.items()}
    document = read_shot(shot)
    if surface is not None:
        document.surface(surface)
    tracks: dict[str, dict[int, FrameResult]] = {}
    made: list[Track] = []
    with OpenShot(document, shot.parent) as opened:
        count = opened.plate.facts.frame_count
        for one in in_depth_order(document):
            if surface is not None and one.id != surface:
                continue
            if span is not None and one.id not in kept:
                continue
            half_done = out.with_name(f"{out.name}.{one.id}.{tracking_key(document, one)}.unfinished")
            results = dict(kept[one.id]) if span else _half_done(half_done)
            frames = count if span is None else span[1] - span[0] + 1
            pace = Pace(frames, len(results) if span is None else 0)
            fresh: dict[int, FrameResult] = {}
            kept_at = monotonic()
            with stopping() as stop, progress_bar(f"following {one.name}") as progress:
                for step in follow_surface(opened.plate, document, one, tracks, results, direction, stop, span, again=opened.plate_again):  # type: ignore[arg-type]
                    fresh[step.result.frame] = step.result
                    if span is None:
                        results[step.result.frame] = step.result
                        if monotonic() - kept_at > KEEP_SECONDS:
                            _keep(half_done, make_track(one.id, one.reference_frame, results.values(), mended=False))
                            kept_at = monotonic()
                    pace.look(step.again)
                    progress(pace.done, SCALE, pace.phase)
                if stop():
                    if span is None:
                        _keep(half_done, make_track(one.id, one.reference_frame, results.values(), mended=False))
                    raise KeyboardInterrupt
            half_done.unlink(missing_ok=True)
            raw = results if span is None else tied(one, results, fresh, span)
            # What is kept may be mended already: nothing is mended twice.
            settled = span is not None and kept_tracks[one.id].mended
            tracks[one.id] = raw if settled else mended(one, raw)
            written = raw if unmended else tracks[one.id]
            made.append(make_track(one.id, one.reference_frame, written.values(), mended=settled or not unmended))
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


def _keep(path: Path, track: "Track") -> None:
    """Keep what there is of a track; a run that dies while it writes leaves the one before."""
    from verdigris.formats.track_json import write_tracks

    writing = path.with_suffix(".writing")
    write_tracks(writing, [track])
    writing.replace(path)


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


def followed(
    opened: "OpenShot", document: "Shot", one: "Surface", tracks: "Mapping[str, Mapping[int, FrameResult]] | None" = None
) -> "dict[int, FrameResult]":
    """A surface followed now, with its progress; `tracks` are those that are known already."""
    from verdigris.runs.follow.pace import SCALE, Pace
    from verdigris.runs.follow.surface import follow_surface

    results: dict[int, FrameResult] = {}
    with progress_bar(f"following {one.name}") as progress:
        pace = Pace(opened.plate.facts.frame_count)
        for step in follow_surface(opened.plate, document, one, tracks or {}, again=opened.plate_again):
            results[step.result.frame] = step.result
            pace.look(step.again)
            progress(pace.done, SCALE, pace.phase)
    return results


def tracks_for(opened: "OpenShot", document: "Shot", track: Path | None, needed: set[str]) -> dict[str, dict[int, Any]]:
    """Tracks as they are used: those of a file, or those of the surfaces needed, followed now."""
    from verdigris.formats.track_json import read_tracks
    from verdigris.runs.follow.surface import in_depth_order
    from verdigris.runs.scene.mending import mended, used_tracks

    if track is not None:
        return used_tracks(document, read_tracks(track))
    tracks: dict[str, dict[int, Any]] = {}
    for one in in_depth_order(document):
        if one.id not in needed:
            continue
        tracks[one.id] = mended(one, followed(opened, document, one, tracks))
    return tracks


def render(
    shot: Annotated[Path, typer.Argument(help="Shot document (JSON).")],
    out: Annotated[Path, typer.Option(help="Film to write (.mp4, .mkv), or folder for numbered stills.")],
    track: Annotated[Path | None, typer.Option(help="Track to use; without it the planes are followed first.")] = None,
    form: Annotated[str | None, typer.Option(help="mp4, mkv, png or exr; default from the document, or from OUT's ending.")] = None,
    still: Annotated[str | None, typer.Option(help="Hand over the plate held still on this surface instead of the result.")] = None,
    how: Annotated[str, typer.Option(help="How it is held: position, turn, size or full.")] = "full",
    without: Annotated[list[str] | None, typer.Option(help="Leave this placement or matte out, by id; thumb:2 is one part.")] = None,
    json: Json = False,
) -> None:
    """Render a shot to a film or to stills. A stopped run goes on where it was."""
    from verdigris.core.geometry.held_still import HELD
    from verdigris.runs.render.compose import check_ready, frames_without_track
    from verdigris.runs.render.open_shot import OpenShot
    from verdigris.shot.model.delivery import FILMS, Delivery, Form, StillPicture
    from verdigris.shot.model.document import read_shot
    from verdigris.shot.model.without import without as without_parts

    document = without_parts(read_shot(shot), without or [])
    ending = out.suffix.removeprefix(".")
    chosen = form or (ending if ending in FILMS else document.delivery.form if document.delivery.form not in FILMS else "png")
    if chosen not in get_args(Form):
        raise typer.BadParameter(f"{chosen} is not a form; {', '.join(get_args(Form))} are.")
    if how not in HELD:
        raise typer.BadParameter(f"{how} is no way to hold a plate still; {', '.join(HELD)} are.")
    held = document.delivery.still if still is None else StillPicture.model_validate({"surface": still, "how": how})
    if held is not None:
        document.surface(held.surface)
        chosen = "png" if chosen in FILMS else chosen
    delivery = Delivery.model_validate({**document.delivery.model_dump(), "form": chosen, "still": held})
    document = document.model_copy(update={"delivery": delivery})
    with OpenShot(document, shot.parent) as opened:
        count = opened.plate.facts.frame_count
        tracks = tracks_for(opened, document, track, document.surfaces_in_use() if held is None else {held.surface})
        check_ready(document, tracks)
        with progress_bar("rendering") as progress:
            opened.render(tracks, out, progress)
        missing = frames_without_track(document, tracks, count)
    if missing:
        numbers = ", ".join(str(n + opened.first_frame) for n in missing[:12]) + (" ..." if len(missing) > 12 else "")
        console.print(f"{len(missing)} frames have no track; the plate passes unchanged there: {numbers}")
    if json:
        print_json({"out": str(out), "frames": count, "form": chosen, "frames_without_track": missing})


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
    from verdigris.runs.follow.anchoring import anchored
    from verdigris.runs.scene.mending import used_tracks
    from verdigris.shot.model.document import read_shot

    document = read_shot(shot)
    tracks = used_tracks(document, read_tracks(track))
    one = document.surface(surface or next(iter(tracks), ""))
    moved, stated = anchored(one, tracks.get(one.id, {}), frame)
    document = document.model_copy(update={"surfaces": [moved if s.id == one.id else s for s in document.surfaces]})
    out.mkdir(parents=True, exist_ok=True)
    (out / "shot.json").write_text(plain.dumps(document.to_json(), indent=1) + "\n", encoding="utf-8")
    tracks[one.id] = stated
    made = [make_track(k, document.surface(k).reference_frame, t.values(), mended=True) for k, t in tracks.items()]
    write_tracks(out / "track.json", made)
