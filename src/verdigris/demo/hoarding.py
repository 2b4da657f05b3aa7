"""The scene of the hoarding: a wide poster on the quay, seen from a passing boat, with lamp posts and people in front."""

import numpy as np

from verdigris.core.geometry.homography import apply_homography
from verdigris.core.types import Float32, Float64
from verdigris.demo import harbour
from verdigris.demo.people import HEIGHT as PERSON_PX
from verdigris.demo.people import PX_PER_M, STRIDE_M, phase_of, silhouettes, walker
from verdigris.demo.people import WIDTH as PERSON_WIDE
from verdigris.demo.print_work import linear, sailing_poster, worn
from verdigris.demo.scene import Lens, Plane, Scene, Surface, ease, hand_held, look, moved, plane_through_view, standing_plane
from verdigris.demo.textures import Rng, box_mask, fill_box, flat_colour, fractal_noise, soft, with_alpha

WIDTH, HEIGHT, FRAMES, RATE = 1920, 1080, 96, (24, 1)
FOCAL_PX = 1700.0
REFERENCE_FRAME = 52
DROP_M = 1.5
BOARD_M = (6.0, 2.5)
POSTER_M = (0.30, 0.28, 5.70, 2.22)
BOARD_PX_PER_M = 300.0
TURN = np.deg2rad(33.0)


def _board(rng: Rng) -> Float32:
    """Plywood in a timber frame with the old poster pasted on."""
    s = BOARD_PX_PER_M
    w, h = round(BOARD_M[0] * s), round(BOARD_M[1] * s)
    rgb = flat_colour(h, w, (0.20, 0.155, 0.10)) * (1 + 0.16 * fractal_noise(rng, h, w, 40, 5))[..., None]
    rgb = np.asarray(rgb, np.float32)
    for x in np.arange(1.2, BOARD_M[0], 1.2):
        fill_box(rgb, (0.06, 0.05, 0.04), x * s - 2, 0, x * s + 2, h)
    x0, y0, x1, y1 = (v * s for v in POSTER_M)
    paper = worn(rng, linear(sailing_poster(round(x1 - x0), round(y1 - y0), False)), 90, 0.09)
    rgb[round(y0) : round(y0) + paper.shape[0], round(x0) : round(x0) + paper.shape[1]] = paper
    for a, b, c, d in ((0, 0, w, 26), (0, h - 26, w, h), (0, 0, 26, h), (w - 26, 0, w, h)):
        fill_box(rgb, (0.11, 0.085, 0.06), a, b, c, d)
    for x in np.arange(0.3, BOARD_M[0], 0.6):
        for y in (0.10, BOARD_M[1] - 0.10):
            fill_box(rgb, (0.25, 0.24, 0.22), x * s - 5, y * s - 5, x * s + 5, y * s + 5, 5)
    return with_alpha(soft(rgb, 0.7), np.ones((h, w), np.float32))


def _post() -> Float32:
    """A lamp post, (900, 60, 4)."""
    h, w = 900, 60
    x = (np.arange(w) + 0.5 - w / 2) / 15
    round_light = np.clip(0.25 - 0.8 * x, 0.03, 1.0) * 0.16 + 0.02
    rgb = np.broadcast_to(np.array([0.9, 1.0, 1.0], np.float32) * round_light[None, :, None], (h, w, 3)).astype(np.float32)
    alpha = np.maximum(box_mask(h, w, w / 2 - 15, 0, w / 2 + 15, h), box_mask(h, w, w / 2 - 24, h - 120, w / 2 + 24, h, 6))
    return with_alpha(np.ascontiguousarray(rgb), alpha)


def hoarding_scene() -> Scene:
    """Build the scene; the same every time."""
    rng = np.random.default_rng(41)
    view_w, view_h = 4600, 1500
    centre = (view_w / 2, view_h / 2)
    across, down = np.array([np.cos(TURN), 0.0, np.sin(TURN)]), np.array([0.0, 1.0, 0.0])
    origin = np.array([-2.9, DROP_M - BOARD_M[1] - 0.55, 6.6])
    board_m = standing_plane(origin, across, down, BOARD_PX_PER_M)
    x0, y0, x1, y1 = POSTER_M
    corners = np.array([origin + across * x + down * y for x, y in ((x0, y0), (x1, y0), (x1, y1), (x0, y1))])
    middle = origin + across * BOARD_M[0] / 2
    shadows = [(float(middle[0]), float(middle[2]), 2.4, 0.4, 0.6), (-1.5, 5.4, 0.1, 0.1, 0.5), (1.7, 6.2, 0.1, 0.1, 0.5)]
    textures = {
        "backdrop": soft(harbour.backdrop(rng, view_w, view_h, view_h / 2 - 10), 2.0),
        "quay": harbour.quay(rng, view_w, view_h, FOCAL_PX, centre, DROP_M, shadows),
        "board": _board(rng),
        "post": _post(),
    }
    people = {"near": walker(rng, (0.20, 0.10, 0.05), (0.03, 0.035, 0.05)), "far": walker(rng, (0.07, 0.14, 0.16), (0.05, 0.045, 0.04))}
    outlines = {name: silhouettes(pictures) for name, pictures in people.items()}
    # Where they walk: metres along x at frame 0, metres a frame, depth.
    walks = {"near": (-2.8, 0.052, 4.9), "far": (2.7, -0.047, 5.9)}

    def walked(name: str, time: float) -> float:
        start, pace, _ = walks[name]
        return start + pace * time

    def person_m(name: str) -> Float64:
        # To the left they are mirrored.
        facing = np.array([np.sign(walks[name][1]), 0.0, 0.0])
        corner = np.array([-facing[0] * PERSON_WIDE / PX_PER_M / 2, DROP_M - PERSON_PX / PX_PER_M, walks[name][2]])
        return standing_plane(corner, facing, down, PX_PER_M)

    def person_placed(name: str, time: float) -> Float64:
        return moved(np.eye(3), np.array([walked(name, time), 0.0, 0.0]))

    def person(name: str) -> Plane:
        return Plane(
            name, person_m(name), lambda t: people[name][phase_of(walked(name, round(t)) - walks[name][0] + STRIDE_M * 8)],
            lambda t: person_placed(name, t),
        )  # fmt: skip

    def fixed(name: str, matrix: Float64, texture: str, far: bool = False) -> Plane:
        return Plane(name, matrix, lambda _t: textures[texture], far=far)

    posts = {"post near": (-1.5, 5.4), "post far": (1.75, 6.2)}
    post_m = {k: standing_plane(np.array([x - 0.12, DROP_M - 3.6, z]), np.array([1.0, 0, 0]), down, 250.0) for k, (x, z) in posts.items()}
    planes = (
        fixed("backdrop", plane_through_view(FOCAL_PX, centre, 1.0, np.array([0.0, 0, 1]), 220.0), "backdrop", True),
        fixed("quay", plane_through_view(FOCAL_PX, centre, 1.0, down, DROP_M), "quay", True),
        fixed("board", board_m, "board"),
        fixed("post far", post_m["post far"], "post"), person("far"), fixed("post near", post_m["post near"], "post"), person("near"),
    )  # fmt: skip
    unrest = hand_held(11, 0.012, 0.004, RATE[0] / RATE[1])

    def camera(time: float) -> Float64:
        position, angles = unrest(time)
        u = time / FRAMES
        swell = np.array([0.0, 0.05 * np.sin(2 * np.pi * time / 70), 0.0])
        sail = np.array([-1.35 + 2.7 * u, 0.0, 0.35 * ease(u)])
        turn = np.array([-0.012 + 0.010 * np.sin(2 * np.pi * time / 70 + 0.6), 0.10 - 0.22 * u, 0.018 * np.sin(2 * np.pi * time / 88)])
        return look(position + swell + sail, angles + turn)

    def outline_of(name: str, time: float) -> Float64 | None:
        shape = outlines[name][phase_of(walked(name, time) - walks[name][0] + STRIDE_M * 8)]
        at = apply_homography(scene.projection(time) @ person_placed(name, time) @ person_m(name), shape)
        return at if at[:, 0].max() > 0 and at[:, 0].min() < WIDTH else None

    def post_outline(name: str, time: float) -> Float64:
        shape = np.array([[12.0, 0], [48, 0], [48, 778], [58, 780], [58, 900], [2, 900], [2, 780], [12, 778]])
        return apply_homography(scene.projection(time) @ post_m[name], shape)

    scene = Scene(
        "hoarding", WIDTH, HEIGHT, FRAMES, RATE, camera, planes, (Surface("poster", corners),), Lens(FOCAL_PX), seed=41,
        occluder_shapes={
            "walker near": lambda t: outline_of("near", t), "walker far": lambda t: outline_of("far", t),
            "post near": lambda t: post_outline("post near", t), "post far": lambda t: post_outline("post far", t),
        },
    )  # fmt: skip
    return scene
