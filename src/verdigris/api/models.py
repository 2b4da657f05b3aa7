"""What the API answers and takes."""

import datetime as dt
import uuid
from typing import Annotated, Any, Literal

from pydantic import BaseModel, Field

from verdigris.core.geometry.motion import Motion
from verdigris.formats.track_json import Camera
from verdigris.media.facts import MediaFacts, Ratio
from verdigris.shot.edits.edit import Edit
from verdigris.shot.model.artwork import Artwork
from verdigris.shot.model.base import FrameIndex, Id, Name
from verdigris.shot.model.delivery import Delivery
from verdigris.shot.model.document import Shot

RevisionNumber = Annotated[int, Field(ge=1, le=2**31 - 1)]


class FilmForm(BaseModel):
    """How a film would be written."""

    written: str = Field(description="encoder and pixel format")
    lost: str = Field(description="what of the plate it cannot hold, in words; empty when nothing")


class MediaView(BaseModel):
    """A film, still or sequence."""

    hash: str
    name: str
    bytes: int
    state: Literal["reading", "ready", "stopped", "failed"]
    problem: str = Field(description="why it was not read to its end, in words; empty unless stopped or failed")
    facts: MediaFacts | None
    proxies: int
    films: dict[Literal["mp4", "mkv"], FilmForm] = Field({}, description="how a film of it would be written, and what that cannot hold")


class JobView(BaseModel):
    """Something long that runs or ran."""

    id: uuid.UUID
    kind: Literal["media", "track", "render", "match"]
    title: str
    state: Literal["waiting", "running", "done", "failed", "stopped"]
    done: int
    total: int
    phase: str = Field(description="what it does now, in words")
    seconds_left: float | None = Field(description="as far as it can be told yet")
    message: str
    stop_asked: bool
    shot_id: uuid.UUID | None
    take_id: uuid.UUID | None
    delivery_id: uuid.UUID | None
    media_hash: str | None
    created: dt.datetime
    finished: dt.datetime | None


class Uploaded(BaseModel):
    """An upload that was taken in; `job` reads it unless it was read before."""

    media: MediaView
    job: uuid.UUID | None


class LookView(BaseModel):
    """A frame to look at, worst first in lists."""

    frame: int
    severity_px: float
    reason: str


class TakeView(BaseModel):
    """A take of a surface, without its frames."""

    id: uuid.UUID
    surface: str
    label: str
    name: str = Field(description="given by a person, or empty")
    motion: str
    reference_frame: int
    stale: bool = Field(description="computed from something else than what the document says now")
    changed: list[str] = Field(description="what of its settings is otherwise now, in words")
    restorable: bool = Field(description="its settings were kept, and can be brought back")
    mended: bool = Field(description="it came in with smoothing, held and carried frames in it, and is used as it is")
    running: bool
    version: str = Field(description="another one once a job has changed its frames; empty while one does")
    followed: int
    lost: int
    ranges: list[tuple[int, int]] = Field(description="runs of frames that are followed, both ends included")
    looks: list[LookView]
    median_sigma_px: float | None
    camera: Camera | None = Field(description="what following found of the camera")


class PointView(BaseModel):
    """A single point at one frame, plate px; without a place when it is lost."""

    status: Literal["followed", "carried", "by_hand", "lost"]
    x: float | None
    y: float | None
    sigma_px: float | None


class TakeNameRequest(BaseModel):
    """What a take is to be called; empty for its letter alone."""

    name: str = Field(max_length=60, pattern=r"^[^\x00-\x1f\x7f]*$")


class TrackAllRequest(BaseModel):
    """Follow every surface that has corners, the nearest first."""

    direction: Literal["forwards", "backwards", "both"] = "both"


class CrossingView(BaseModel):
    """Two edges of the plate cross here, plate px."""

    at: tuple[float, float]
    sigma_px: float


class FrameWorthView(BaseModel):
    """How well a frame would serve as the reference."""

    frame: int
    size_px: float | None = Field(description="side of a square of the surface's area, plate px; null where it is not followed")
    sharpness: float
    hidden: float = Field(description="share covered or outside the picture, 0..1")
    worth: float = Field(description="0..1, 1 for the best frame")


class JitterView(BaseModel):
    """Movement left in a surface held still, corner by corner, px at the reference frame; null where nothing can be compared."""

    frame: int
    shift_px: list[tuple[float, float] | None]
    noise_px: list[float | None] = Field(description="what noise alone would show, root mean square")


class OutlineKeyView(BaseModel):
    """Where something is at a frame, plate px there."""

    frame: int
    points: list[tuple[float, float]]


class DisagreementView(BaseModel):
    """A patch of the region that does not move with the plane."""

    kind: Literal["content", "passing"]
    outline: list[tuple[float, float]] = Field(description="at the reference frame, plate px")
    frames: tuple[int, int]
    share_of_region: float
    helps: float
    keys: list[OutlineKeyView] = Field(description="the same number of points at every frame")


class LensTermView(BaseModel):
    """One term of a lens and its standard deviation."""

    term: str
    value: float
    sigma: float


class LensView(BaseModel):
    """A lens found from drawn lines or from a track."""

    k1: float
    k2: float
    centre: tuple[float, float] | None
    terms: list[LensTermView]
    note: str


class TakeFrameView(BaseModel):
    """One frame of a take, as in the track format."""

    frame: int
    status: Literal["followed", "carried", "by_hand", "lost"]
    homography: list[float] | None
    sigma_px: list[float] | None
    residual_px: float | None
    share_used: float
    margin_px: float | None
    through: int | None
    defocus_px2: float | None
    smear_px: float | None
    noise: float | None
    reason: str


class MotionFiguresView(BaseModel):
    """How well one motion model explains a track, px."""

    motion: Motion
    residual_px: float
    left_out_px: float = Field(description="error on places the model was not fitted to")
    left_out_sigma_px: float


class MotionAdvice(BaseModel):
    """The simplest motion that is enough, and why."""

    motion: Motion
    figures: list[MotionFiguresView]
    reason: str


class MadeOfView(BaseModel):
    """A slot, and the version of it that is in a picture."""

    slot: str
    name: str
    version: int
    current: int = Field(description="the version the slot has now")


class DeliveryView(BaseModel):
    """One handing over."""

    id: uuid.UUID
    revision: int
    form: str
    state: Literal["running", "done", "failed", "stopped"]
    file: str
    bytes: int
    frames_without_track: list[int]
    made_of: list[MadeOfView] = Field(description="versions of slots that it was made of")
    differs: bool = Field(description="the pictures would come out otherwise from how the shot is now")
    created: dt.datetime
    job: uuid.UUID | None


class ShotView(BaseModel):
    """A shot as the Bench needs it."""

    id: uuid.UUID
    project_id: uuid.UUID
    project: str
    revision: int
    can_undo: bool
    can_redo: bool
    undo_label: str
    document: Shot
    media: dict[str, MediaView]
    takes: list[TakeView]
    deliveries: list[DeliveryView]


class PointFiguresView(BaseModel):
    """What a single point's track is worth over a take, px; see the core's `PointFigures`."""

    id: str
    seen: int
    carried: int
    lost: int
    error_px: float | None = Field(description="median distance from the plane of all points")
    worst_px: float | None
    worst_frame: int | None
    speed_px: float = Field(description="95th percentile from frame to frame")
    acceleration_px: float = Field(description="95th percentile of how much the speed changes")
    sigma_px: float | None


class FollowView(JobView):
    """The job that follows a surface, the shot with the take it fills, and what that take begins with."""

    shot: "ShotView"
    frames: list["TakeFrameView"]


class ShotSummary(BaseModel):
    """A shot as a row of the Board."""

    id: uuid.UUID
    name: str
    plate: MediaView | None
    frames: list[int] = Field(description="frames for the three small pictures")
    first_frame: int
    surfaces: list["SurfaceSummary"]
    artwork: list[str]
    slots: list[MadeOfView]
    delivery: DeliveryView | None
    revision: int


class SurfaceSummary(BaseModel):
    """A surface on the Board."""

    id: str
    name: str
    ranges: list[tuple[int, int]]
    looks: int
    lost: int


class ProjectView(BaseModel):
    """A project with its shots."""

    id: uuid.UUID
    name: str
    shots: list[ShotSummary]


class ProposalView(BaseModel):
    """One thing that was measured of how a surface sits."""

    part: str
    value: dict[str, Any] | None = Field(description="the part of a match as a document has it; null where there is nothing to take over")
    sure: bool
    plate: str
    artwork: str
    said: str
    evidence: list[list[float]] = Field(description="figures of its small picture, by part; see the interface")


class ProposalsView(BaseModel):
    """What was last measured of a surface."""

    surface: str
    stale: bool = Field(description="measured from something else than what the document says now")
    created: dt.datetime
    proposals: list[ProposalView]


class SlotVersionView(BaseModel):
    """One version of a slot."""

    number: int
    revision: str
    language: str
    note: str
    artwork: Artwork
    created: dt.datetime


class SlotUseView(BaseModel):
    """A shot that shows a slot, and the versions it shows."""

    shot: uuid.UUID
    name: str
    versions: list[int]
    pinned: bool = Field(description="it stays with its version whatever becomes the current one")


class SlotView(BaseModel):
    """A place for artwork in a project."""

    key: str
    name: str
    current: int
    versions: list[SlotVersionView]
    used: list[SlotUseView]


class SlotVersionRequest(BaseModel):
    """A new version of a slot."""

    artwork: Artwork
    revision: str = Field("", max_length=60)
    language: str = Field("", max_length=60)
    note: str = Field("", max_length=400)


class NewSlot(SlotVersionRequest):
    """A slot to make, with its first version."""

    name: Name


class SlotRequest(BaseModel):
    """A slot's name and the version that shots show."""

    name: Name
    current: int = Field(ge=1)


class RemovedView(BaseModel):
    """Something in the bin."""

    kind: Literal["project", "shot", "media"]
    id: str
    name: str
    removed: dt.datetime
    kept_until: dt.datetime


class NewProject(BaseModel):
    """A project to make, or its new name."""

    name: Name


class NewShot(BaseModel):
    """A shot to make from a plate."""

    name: Name
    plate: str = Field(pattern=r"^[0-9a-f]{64}$", description="content hash of the plate")
    rate: Ratio | None = Field(None, description="frames per second, for numbered stills")


class EditRequest(BaseModel):
    """Edits on top of a revision."""

    base_revision: RevisionNumber
    edits: list[Edit] = Field(min_length=1, max_length=50)
    stroke: str | None = Field(None, max_length=64, description="edits of one movement of the hand are one step to undo")


class DraftRequest(BaseModel):
    """Edits that are only tried; `state` as for results."""

    edits: list[Edit] = Field(min_length=1, max_length=50)
    state: str = Field("", max_length=200)
    width: int | None = Field(default=None, ge=16, le=4096, description="px the picture is shown wide; a proxy's width by default")


class BaseRequest(BaseModel):
    """An action on top of a revision."""

    base_revision: RevisionNumber


class TrackRequest(BaseModel):
    """Follow a surface."""

    surface: Id
    direction: Literal["forwards", "backwards", "both"] = "both"
    span: tuple[FrameIndex, FrameIndex] | None = Field(
        None, description="first and last frame to follow again; the rest of the chosen take is kept"
    )
    point: Id | None = Field(None, description="the one point to follow again, of a surface that is followed by points")
    begin: FrameIndex = Field(0, description="the frame a point goes on from, when it is followed over a span")


class DeliveryRequest(BaseModel):
    """Hand over; the settings become part of the document."""

    base_revision: RevisionNumber
    delivery: Delivery


class RevisionView(BaseModel):
    """One entry of a shot's history."""

    number: int
    parent: int | None
    label: str
    created: dt.datetime


ShotSummary.model_rebuild()
