"""What a take is computed from, and what of it has changed since."""

import hashlib
import json
from typing import Any

from verdigris.media.facts import ColourChoice
from verdigris.shot.model.document import Shot
from verdigris.shot.model.surface import Surface

# What decides where a surface's track, mended, puts it; and with nudges.
MENDING = {"id", "take", "reference_frame", "corners", "held", "smoothing", "carry", "left_out", "calmed"}
PLACING = MENDING | {"corrections", "reach_frames"}


def tracking_basis(shot: Shot, surface: Surface) -> dict[str, Any]:
    """Everything a take of this surface is computed from, as plain data."""
    nearer = [o.model_dump(mode="json") for o in shot.occluders if o.depth < surface.depth]
    ridden = {o["rides"] for o in nearer} - {surface.id}
    for o in nearer:
        # Whoever follows looks past its soft edge anyway.
        del o["name"], o["depth"], o["shutter"]
    # What hides it by its own corners, and what carries an outline: by where their tracks, as they are used, put them.
    others = [s for s in shot.surfaces if s.id in ridden or (s.id != surface.id and s.depth < surface.depth)]
    corners_count = not any(r.role == "include" for r in surface.region.all_shapes(surface.reference_frame))
    optional = {
        "other_surfaces": sorted((s.model_dump(mode="json", include=PLACING) for s in others), key=lambda s: str(s["id"])),
        "corners_as_region": [list(p) for p in surface.corners] if corners_count and surface.corners else None,
    }
    return {
        **{k: v for k, v in optional.items() if v},
        "plate": {**shot.plate.model_dump(mode="json", include={"path", "media"}), **_codes_as(shot.plate.colour)},
        "lens": shot.lens.model_dump(mode="json"),
        "camera": shot.camera.model_dump(mode="json"),
        "reference_frame": surface.reference_frame,
        "motion": surface.motion,
        "region": [r.model_dump(mode="json") for r in surface.region.all_shapes(surface.reference_frame)],
        "follow": surface.follow,
        "points": [p.model_dump(mode="json") for p in surface.points] if surface.follow == "points" else [],
        "analysis": surface.analysis.model_dump(mode="json"),
        "in_front": sorted(nearer, key=lambda o: str(o["id"])),
    }


def _codes_as(colour: ColourChoice | None) -> dict[str, Any]:
    """What of a colour that was set changes the code values that are compared: what they mean as light does not."""
    said = {} if colour is None else colour.model_dump(mode="json", include={"matrix", "full_range"}, exclude_none=True)
    return {"colour": said} if said else {}


def tracking_key(shot: Shot, surface: Surface) -> str:
    """Fingerprint of everything a take of this surface is computed from; another key means a stale take."""
    return hashlib.sha256(json.dumps(tracking_basis(shot, surface), sort_keys=True).encode()).hexdigest()[:16]


def take_settings(shot: Shot, surface: Surface) -> dict[str, Any]:
    """What is kept with a take: what it is computed from, and the corners that belong to its reference frame."""
    return {**tracking_basis(shot, surface), "corners": None if surface.corners is None else [list(p) for p in surface.corners]}


CHANGES = {
    "plate": "the plate", "lens": "the lens", "camera": "the read-out", "reference_frame": "reference frame", "motion": "motion",
    "region": "region", "follow": "whether a region or points are followed", "points": "points", "analysis": "analysis picture",
    "in_front": "what is in front", "other_surfaces": "another surface, or its track", "corners_as_region": "the corners",
}  # fmt: skip


def changed_since(settings: dict[str, Any], shot: Shot, surface: Surface) -> list[str]:
    """What of a take's settings is otherwise now, in words."""
    now = json.loads(json.dumps(tracking_basis(shot, surface)))
    return [words for name, words in CHANGES.items() if settings.get(name) != now.get(name)]
