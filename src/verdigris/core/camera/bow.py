"""A surface that is not quite flat: how far it is seen from where a plane through its corners would be.

Seen from another side, what stands out moves against the plane along one direction, by its depth (plane and parallax). The
direction follows from the poses and a focal length; how far the surface stands out is shared by all frames.

References
----------
Kumar, Anandan and Hanna, Direct recovery of shape from multiple views: a parallax based approach, ICPR 1994.
Zhang, A flexible new technique for camera calibration, PAMI 22(11), 2000 (the third column of a plane's view).
"""

from collections.abc import Iterable
from dataclasses import dataclass

import numba
import numpy as np

from verdigris.core.geometry.homography import homography_from_quads
from verdigris.core.types import Float64

# Focal lengths, in widths of the picture: the usual one, how far others are from it (as a logarithm), and those that are tried.
USUAL_FOCAL = 1.1
FOCAL_SPREAD = 0.5
FOCALS = np.geomspace(0.5, 5.0, 24)
# How exactly sides are taken to be at right angles and of one proportion: what corners and a shallow bow leave.
SQUARE_WITHIN = 0.01
SQUARE = np.array([[-1.0, -1.0], [1.0, -1.0], [1.0, 1.0], [-1.0, 1.0]])
# Far outside the corners a square says nothing any more.
MOST_REACH = 1.5


@dataclass(frozen=True)
class Bow:
    """A shallow bow along and across a rectangle whose corners lie on a plane.

    Attributes
    ----------
    camera : (3, 3) float64, ideal px from directions
    rectangle : (3, 3) float64, directions in the reference frame from the rectangle, whose corners are at -1 and 1
    depth : how far the middle stands out towards the camera, along and across, as shares of width and height
    """

    camera: Float64
    rectangle: Float64
    depth: tuple[float, float]

    @classmethod
    def of(cls, corners: Float64, size: tuple[int, int], depth: tuple[float, float], focal: float = USUAL_FOCAL) -> "Bow":
        """From corners at the reference frame, (4, 2) ideal px, the picture's width and height, and a focal length in widths.

        Raises
        ------
        ValueError
            When the corners make no quadrilateral.
        """
        camera = _camera(size, focal)
        view = np.linalg.inv(camera) @ homography_from_quads(SQUARE, corners)
        # In front of the camera, whatever sign and size the homography came with.
        return cls(camera, view / np.cbrt(np.linalg.det(view)), depth)

    def offset(self, seen: Float64, pose: Float64, depth: tuple[float, float] | None = None) -> Float64:
        """How far points (N, 2), ideal frame px, are seen from where the plane is, (N, 2) px.

        Parameters
        ----------
        pose : (3, 3) float64, ideal frame px from ideal reference px
        depth : other depths than its own
        """
        inward = np.linalg.inv(self.camera)
        relative = inward @ pose @ self.camera
        here = relative @ self.rectangle
        sides, there = np.linalg.norm(self.rectangle[:, :2], axis=0), np.linalg.norm(here[:, :2], axis=0)
        scale = float(np.mean(there / sides))
        relative, here = relative / scale, here / scale
        # Towards the camera, as x runs right and y down.
        normal = np.cross(self.rectangle[:, 1], self.rectangle[:, 0]) / (sides[0] * sides[1])
        turned = np.cross(here[:, 1], here[:, 0]) / (sides[0] * sides[1])
        parallax = self.camera @ (turned - relative @ normal)
        along, across = np.array(self.depth if depth is None else depth) * 2 * sides
        to_rectangle = np.linalg.inv(self.camera @ self.rectangle) @ np.linalg.inv(pose)
        out = np.empty((len(seen), 2))
        # A point's distance is the third coordinate of its view.
        _offset(np.ascontiguousarray(seen, float), to_rectangle, here[2], parallax, along, across, out)
        return out

    def flat(self, seen: Float64, pose: Float64) -> Float64:
        """Where the plane is, of points (N, 2) as they are seen, ideal frame px."""
        return np.asarray(seen - self.offset(seen, pose))


def _camera(size: tuple[int, int], focal: float) -> Float64:
    f = focal * size[0]
    return np.array([[f, 0, size[0] / 2], [0, f, size[1] / 2], [0, 0, 1.0]])


def focal_of(corners: Float64, poses: Iterable[Float64], size: tuple[int, int]) -> float:
    """The focal length, in widths of the picture, with which a quadrilateral stays a rectangle of one proportion.

    Parameters
    ----------
    corners : (4, 2) float64, ideal reference px
    poses : (3, 3) float64 each, ideal frame px from ideal reference px
    size : width and height of the picture, px

    Notes
    -----
    Where the views tell nothing, it is the usual one; a view that no focal length makes a rectangle of counts for no more than others.

    Raises
    ------
    ValueError
        When the corners make no quadrilateral.
    """
    square = homography_from_quads(SQUARE, corners)
    views = np.array([square, *(pose @ square for pose in poses)])
    costs = []
    for focal in FOCALS:
        sides = np.linalg.inv(_camera(size, focal)) @ views[:, :, :2]
        lengths = np.linalg.norm(sides, axis=1)
        askew = np.sum(sides[:, :, 0] * sides[:, :, 1], axis=1) / (lengths[:, 0] * lengths[:, 1])
        proportion = np.log(lengths[:, 0] / lengths[:, 1])
        off = np.concatenate([askew, proportion - np.median(proportion)]) / SQUARE_WITHIN
        costs.append(float(np.sum(off**2 / (1 + off**2 / 9))) + (np.log(focal / USUAL_FOCAL) / FOCAL_SPREAD) ** 2)
    return float(FOCALS[int(np.argmin(costs))])


@numba.njit(cache=True, nogil=True, fastmath=True)
def _offset(seen, to_rectangle, third, parallax, along, across, out):  # type: ignore[no-untyped-def]
    m = to_rectangle
    for i in range(seen.shape[0]):
        x, y = seen[i, 0], seen[i, 1]
        w = m[2, 0] * x + m[2, 1] * y + m[2, 2]
        u, v = (m[0, 0] * x + m[0, 1] * y + m[0, 2]) / w, (m[1, 0] * x + m[1, 1] * y + m[1, 2]) / w
        distance = third[0] * u + third[1] * v + third[2]
        u, v = min(max(u, -MOST_REACH), MOST_REACH), min(max(v, -MOST_REACH), MOST_REACH)
        out_of_plane = (along * (1 - u * u) + across * (1 - v * v)) / distance
        out[i, 0] = out_of_plane * (parallax[0] - x * parallax[2])
        out[i, 1] = out_of_plane * (parallax[1] - y * parallax[2])
