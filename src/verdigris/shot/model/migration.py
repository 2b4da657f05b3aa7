"""Documents of earlier versions as the present one."""

from typing import Any


def from_version_1(data: dict[str, Any]) -> dict[str, Any]:
    """A version 1 document as version 2: placements have ids, four edges and a timing of their own.

    What is not as it should be is left for the model to say so.
    """
    placements = data.get("placements")
    if not isinstance(placements, list):
        return {**data, "version": 2}
    return {**data, "version": 2, "placements": [_placement(p, i) if isinstance(p, dict) else p for i, p in enumerate(placements)]}


def _placement(old: dict[str, Any], number: int) -> dict[str, Any]:
    new = {"id": f"p{number + 1}", **old}
    if "time" not in new:
        # A frame of the artwork was shown for each of the plate.
        new["time"] = {"rate": "plate", "after": new.pop("after_end", "hold")}
    return new
