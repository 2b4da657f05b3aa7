"""Advice from the command line: which motion, which lens, which frame, what disturbs, what is left; no server, no database."""

from pathlib import Path
from typing import Annotated, Any

import typer

from verdigris.cli.headless import Json, followed
from verdigris.cli.terminal import print_json, progress_bar


def propose(
    shot: Annotated[Path, typer.Argument(help="Shot document (JSON).")],
    track: Annotated[Path, typer.Option(help="Finished track (JSON).")],
    surface: Annotated[str | None, typer.Option(help="Surface by id; with a single one it need not be said.")] = None,
    json: Json = False,
) -> None:
    """Say which motion would be enough for a followed surface, with the figures of all models."""
    from dataclasses import asdict

    from verdigris.formats.track_json import read_tracks
    from verdigris.runs.advice.followed import advise_motion
    from verdigris.runs.render.open_shot import OpenShot
    from verdigris.runs.scene.mending import used_tracks
    from verdigris.shot.model.document import read_shot

    document = read_shot(shot)
    tracks = used_tracks(document, read_tracks(track))
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


def passing(
    shot: Annotated[Path, typer.Argument(help="Shot document (JSON).")],
    out: Annotated[Path, typer.Option(help="Document to write, with the matte in it.")],
    surface: Annotated[str | None, typer.Option(help="Surface by id; default the first.")] = None,
    json: Json = False,
) -> None:
    """Follow a surface and make a matte for what passes in front of it; what is placed on the surface stays behind it."""
    from dataclasses import asdict

    from verdigris.cli.paths import moved
    from verdigris.runs.advice.matte_proposal import propose_matte
    from verdigris.runs.errors import RunError
    from verdigris.runs.render.open_shot import OpenShot
    from verdigris.shot.edits.edit import apply_edit
    from verdigris.shot.edits.placements import SetMatte
    from verdigris.shot.model.document import read_shot
    from verdigris.shot.model.matte import Matte

    document = read_shot(shot)
    if not document.surfaces:
        raise RunError("not_tracked", "The document has no surface to follow.")
    one = document.surface(surface) if surface else document.surfaces[0]
    with OpenShot(document, shot.parent) as opened:
        found = propose_matte(opened.plate, document, one, {}, followed(opened, document, one))
    if found is None:
        raise RunError("no_evidence", f"Nothing was found that passes in front of {one.name}.")
    taken = {m.id for m in document.mattes}
    name = next(k for i in range(1, 60) if (k := f"passing-{i}") not in taken)
    matte = Matte.model_validate({"id": name, "name": "Passing", "surface": one.id, "parts": found.parts})
    below = next((p.id for p in document.placements if p.surface == one.id), None)
    masked = apply_edit(moved(document, shot.parent, out.parent), SetMatte(matte=matte, in_front_of=below))
    out.write_text(masked.model_dump_json(indent=1, exclude_none=True) + "\n", encoding="utf-8")
    if json:
        print_json({"matte": name, **asdict(found)})
        return
    typer.echo(f"{name}, frames {found.frames[0]} to {found.frames[1]}: {found.said}")


def disagreements(
    shot: Annotated[Path, typer.Argument(help="Shot document (JSON).")],
    surface: Annotated[str | None, typer.Option(help="Surface by id; default the first.")] = None,
    first: Annotated[int, typer.Option(min=0, help="First frame, counted from 0.")] = 0,
    last: Annotated[int | None, typer.Option(min=0, help="Last frame; default the end of the plate.")] = None,
    json: Json = False,
) -> None:
    """Follow a surface and outline where its region does not move with it: content, reflections, things in front."""
    from verdigris.runs.advice.followed import advise_exclusions, disagreement_facts
    from verdigris.runs.errors import RunError
    from verdigris.runs.render.open_shot import OpenShot
    from verdigris.shot.model.document import read_shot

    document = read_shot(shot)
    if not document.surfaces:
        raise RunError("not_tracked", "The document has no surface to follow.")
    one = document.surface(surface) if surface else document.surfaces[0]
    with OpenShot(document, shot.parent) as opened:
        count, results = opened.plate.facts.frame_count, followed(opened, document, one)
        found = advise_exclusions(opened.plate, document, one, {}, results, first, count - 1 if last is None else last)
    if json:
        print_json([disagreement_facts(d) for d in found])
        return
    if not found:
        typer.echo(f"{one.name}: the whole region moves with the plane.")
    for d in found:
        corner, opposite = d.outline.min(axis=0), d.outline.max(axis=0)
        what = "does not move with the plane" if d.kind == "content" else "is covered for a while"
        outlined = "" if d.kind == "content" else f", outlined at {len(d.keys)} of them"
        typer.echo(
            f"{100 * d.share_of_region:.0f} % of the region {what}, frames {d.frames[0]} to {d.frames[1]}{outlined}: around x "
            f"{corner[0]:.0f} to {opposite[0]:.0f}, y {corner[1]:.0f} to {opposite[1]:.0f}; "
            f"it loses {100 * d.helps:.0f} % of its weight by itself."
        )


def lens(
    shot: Annotated[Path, typer.Argument(help="Shot document (JSON).")],
    track: Annotated[Path | None, typer.Option(help="Finished track (JSON); without it, the lines drawn in the document are used.")] = None,
    surface: Annotated[str | None, typer.Option(help="Surface by id; with a single one it need not be said.")] = None,
    json: Json = False,
) -> None:
    """Estimate the lens: from lines that should be straight, or from a finished track, then with rows and bow; with each uncertainty."""
    from verdigris.core.tracking.calibration.terms import CENTRE
    from verdigris.formats.track_json import read_tracks
    from verdigris.runs.advice.followed import advise_camera
    from verdigris.runs.errors import RunError
    from verdigris.runs.render.open_shot import OpenShot
    from verdigris.runs.scene.camera import lens_of_lines
    from verdigris.runs.scene.mending import used_tracks
    from verdigris.shot.model.document import read_shot

    document = read_shot(shot)
    with OpenShot(document, shot.parent) as opened:
        if track is not None:
            tracks = used_tracks(document, read_tracks(track))
            one = document.surface(surface or next(iter(tracks), ""))
            found = advise_camera(opened.plate, document, one, tracks, tracks.get(one.id, {}))
            facts: dict[str, dict[str, Any]] = {
                name: {"value": e.value, "sigma": e.sigma} for name, e in found.estimates.items() if name not in ("shutter", *CENTRE)
            }
            off = [found.estimates[t] for t in CENTRE if t in found.estimates]
            if off and found.optics.lens is not None:
                px = found.optics.lens.half_diagonal
                facts["centre"] = {"value": found.optics.lens.centre, "sigma": px * max(e.sigma for e in off)}
            note = f"frames fit {100 * found.gain:.1f} % better with them"
        elif document.lens.lines:
            drawn = lens_of_lines(document, (opened.plate.facts.width, opened.plate.facts.height))
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
        typer.echo(f"{name.replace('_', ' '):10} {at}, give or take {e['sigma']:.4f}")
    typer.echo(note if facts else "Nothing but an ideal lens is needed.")


def points(
    shot: Annotated[Path, typer.Argument(help="Shot document (JSON).")],
    surface: Annotated[str | None, typer.Option(help="Surface by id; default the first that is followed by points.")] = None,
    json: Json = False,
) -> None:
    """Follow the single points of a surface and say how well each of them holds to the plane of all."""
    from dataclasses import asdict

    from verdigris.core.tracking.points.points import PointResult
    from verdigris.core.tracking.points.sets import figures_of
    from verdigris.runs.errors import RunError
    from verdigris.runs.follow.points import follow_by_points, reference_of
    from verdigris.runs.render.open_shot import OpenShot
    from verdigris.shot.model.document import read_shot

    document = read_shot(shot)
    with_points = [s.id for s in document.surfaces if s.points]
    if surface is None and not with_points:
        raise RunError("cannot_follow", "No surface of the document has points.", problem="no_points")
    one = document.surface(surface or with_points[0])
    tracks: dict[str, dict[int, PointResult]] = {p.id: {} for p in one.points}
    with OpenShot(document, shot.parent) as opened:
        count, first = opened.plate.facts.frame_count, opened.first_frame
        with progress_bar(f"following the points of {one.name}") as progress:
            for result, _, seen in follow_by_points(opened.plate, one, {}, lambda: False):
                for name, at in seen.items():
                    tracks[name][result.frame] = at
                progress(result.frame + 1, count)
    left_out = [p.id for p in one.points if p.left_out]
    found = figures_of(reference_of(tracks, one.reference_frame), tracks, one.motion, left_out)
    if json:
        print_json({name: asdict(f) for name, f in found.items()})
        return
    for name, f in sorted(found.items(), key=lambda item: -(item[1].error_px or 0.0)):
        error = (
            "error not known"
            if f.error_px is None
            else f"error {f.error_px:6.3f} px, most {f.worst_px:6.3f} in {(f.worst_frame or 0) + first}"
        )
        typer.echo(
            f"{name:12} {error}  speed {f.speed_px:6.2f} px  acceleration {f.acceleration_px:6.3f} px  "
            f"seen {f.seen}, carried {f.carried}, lost {f.lost}"
        )


def references(
    shot: Annotated[Path, typer.Argument(help="Shot document (JSON).")],
    track: Annotated[Path | None, typer.Option(help="Track (JSON): then the surface's own size and hidden share count.")] = None,
    surface: Annotated[str | None, typer.Option(help="Surface by id; without one, the whole picture is judged.")] = None,
    json: Json = False,
) -> None:
    """Say which frames would serve best as the reference: where the surface is large, sharp and least hidden."""
    import math

    from verdigris.formats.track_json import read_tracks
    from verdigris.runs.advice.judging import frames_as_reference
    from verdigris.runs.render.open_shot import OpenShot
    from verdigris.runs.scene.mending import used_tracks
    from verdigris.shot.model.document import read_shot

    document = read_shot(shot)
    tracks = {} if track is None else used_tracks(document, read_tracks(track))
    one = document.surface(surface) if surface is not None else None
    with OpenShot(document, shot.parent) as opened:
        found = frames_as_reference(document, one, tracks, opened.plate, opened.plate.facts.width)
        first = opened.first_frame
    if json:
        print_json([
            {"frame": w.frame, "size_px2": None if math.isnan(w.size) else w.size, "sharpness": w.sharpness, "hidden": w.hidden,
             "worth": w.worth} for w in found
        ])  # fmt: skip
        return
    for w in sorted(found, key=lambda w: -w.worth)[:8]:
        size = "size unknown" if math.isnan(w.size) else f"{math.sqrt(w.size):6.0f} px"
        typer.echo(
            f"{w.frame + first:6}  worth {100 * w.worth:3.0f} %  {size}  sharpness {w.sharpness:.4f}  hidden {100 * w.hidden:3.0f} %"
        )


def jitter(
    shot: Annotated[Path, typer.Argument(help="Shot document (JSON).")],
    track: Annotated[Path, typer.Option(help="Finished track (JSON).")],
    surface: Annotated[str | None, typer.Option(help="Surface by id; with a single one it need not be said.")] = None,
    json: Json = False,
) -> None:
    """Measure in the plate what movement is left at the corners when the surface is held still."""
    import numpy as np

    from verdigris.formats.track_json import read_tracks
    from verdigris.runs.advice.judging import remaining_jitter
    from verdigris.runs.render.open_shot import OpenShot
    from verdigris.runs.scene.mending import used_tracks
    from verdigris.shot.model.document import read_shot

    document = read_shot(shot)
    tracks = used_tracks(document, read_tracks(track))
    one = document.surface(surface or next(iter(tracks), ""))
    with OpenShot(document, shot.parent) as opened:
        found = remaining_jitter(opened.plate, document, one, tracks)
        first = opened.first_frame
    if json:
        print_json(
            [
                {
                    "frame": j.frame,
                    "shift_px": [None if np.isnan(d[0]) else d.round(4).tolist() for d in j.shift_px],
                    "noise_px": [None if np.isnan(v) else round(float(v), 4) for v in j.noise_px],
                }
                for j in found
            ]
        )
        return
    worst = np.array([j.worst_px for j in found])
    known = worst[np.isfinite(worst)]
    if not len(known):
        typer.echo(f"{one.name}: nothing of the region lies at the corners to compare.")
        return
    most = found[int(np.nanargmax(worst))].frame + first
    typer.echo(
        f"{one.name}: half of the frames move less than {np.median(known):.3f} px at their worst corner, 95 % less than "
        f"{np.percentile(known, 95):.3f} px; most in frame {most}: {known.max():.3f} px. Noise alone would show about "
        f"{np.nanmedian(np.concatenate([j.noise_px for j in found])):.3f} px at a corner."
    )
