"""Media: facts, proxies for scrubbing, and frames at full quality."""

import re
from pathlib import Path as FilePath
from typing import Annotated

from fastapi import APIRouter, Depends, Path, Query, Response
from fastapi.responses import FileResponse
from pydantic import ValidationError

from verdigris.api.context import FOREVER, Folder, Transaction
from verdigris.api.decoding import find_crossing, full_frame, in_its_process
from verdigris.api.models.advice import CrossingView
from verdigris.api.models.media import MediaView
from verdigris.api.views import media_view
from verdigris.media.errors import MediaError
from verdigris.media.facts import ColourChoice
from verdigris.runs.views.proxies import ProxyReader, encode_jpeg, proxy_name
from verdigris.store.media import get_media, list_media, ready_facts
from verdigris.store.removal import remove_media, restore_media

router = APIRouter(prefix="/api/media", tags=["media"])

Hash = Annotated[str, Path(pattern=re.compile(r"^[0-9a-f]{64}$").pattern)]
Frame = Annotated[int, Path(ge=0, le=1_000_000)]


@router.get("")
def all_media(s: Transaction) -> list[MediaView]:
    """Everything on the shelf, newest first."""
    return [media_view(m) for m in list_media(s)]


@router.get("/{media_hash}")
def one_media(media_hash: Hash, s: Transaction) -> MediaView:
    """Facts of one film, still or sequence."""
    return media_view(get_media(s, media_hash))


@router.delete("/{media_hash}", status_code=204, response_class=Response)
def put_media_away(media_hash: Hash, s: Transaction) -> Response:
    """Put media that no shot shows into the bin."""
    remove_media(s, media_hash)
    return Response(status_code=204)


@router.post("/{media_hash}/restore")
def put_media_back(media_hash: Hash, s: Transaction) -> MediaView:
    """Take media out of the bin."""
    return media_view(restore_media(s, media_hash))


def colour_said(colour: Annotated[str, Query(max_length=400, description="a colour that was set, as JSON")] = "") -> ColourChoice | None:
    """What somebody says of a picture's colour, from an address."""
    try:
        return ColourChoice.model_validate_json(colour) if colour else None
    except ValidationError as error:
        raise MediaError("unsupported", "That is no colour that can be set.") from error


Colour = Annotated[ColourChoice | None, Depends(colour_said)]


@router.get("/{media_hash}/proxies/{frame}", response_class=FileResponse)
def proxy(media_hash: Hash, frame: Frame, folder: Folder, s: Transaction, colour: Colour = None) -> Response:
    """A frame at proxy size, for an sRGB screen."""
    if colour is not None:
        facts = ready_facts(s, media_hash)
        picture = ProxyReader(folder.proxies(media_hash), facts, colour=colour).frame(frame)
        return Response(encode_jpeg(picture.pixels), media_type="image/jpeg", headers=FOREVER)
    for has_alpha, kind in ((False, "image/jpeg"), (True, "image/png")):
        path = folder.proxies(media_hash) / proxy_name(frame, has_alpha)
        if path.exists():
            return FileResponse(path, media_type=kind, headers=FOREVER)
    raise MediaError("no_such_frame", f"Frame {frame} is not ready yet.")


def source_of(media_hash: Hash, s: Transaction, folder: Folder) -> FilePath:
    """The file of some media; looked up outside the event loop."""
    return folder.source(media_hash, get_media(s, media_hash).ending)


@router.get("/{media_hash}/frames/{frame}/crossing")
async def crossing(
    source: Annotated[FilePath, Depends(source_of)],
    frame: Frame,
    x: Annotated[float, Query(ge=-100_000, le=100_000)],
    y: Annotated[float, Query(ge=-100_000, le=100_000)],
    reach: Annotated[float, Query(ge=2, le=40)] = 8,
) -> CrossingView | None:
    """Where two edges cross near a point, to a fraction of a pixel; null when there is no such place to trust."""
    found = await in_its_process("frames", find_crossing, source, frame, (x, y), reach)
    return None if found is None else CrossingView(at=found[:2], sigma_px=found[2])


@router.get("/{media_hash}/frames/{frame}", response_class=Response)
async def frame_at_full_quality(source: Annotated[FilePath, Depends(source_of)], frame: Frame, colour: Colour = None) -> Response:
    """A frame at full size, for an sRGB screen, decoded in a process of its own."""
    return Response(await full_frame(source, frame, colour), media_type="image/jpeg", headers=FOREVER)
