"""An orthographic camera that turns about a point, z always upwards."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]

#: Directions to look from: turn about z and height above the bed, degrees.
STANDARD = {"top": (0.0, 90.0), "front": (0.0, 0.0), "side": (90.0, 0.0), "corner": (-32.0, 34.0)}


@dataclass(frozen=True, slots=True)
class Camera:
    """Where the part is looked at from. ``turn`` and ``height`` in degrees; ``span`` is the height
    of the picture in mm; ``centre`` the point in its middle."""

    turn: float = STANDARD["corner"][0]
    height: float = STANDARD["corner"][1]
    span: float = 100.0
    centre: tuple[float, float, float] = (0.0, 0.0, 0.0)

    def axes(self) -> tuple[Floats, Floats, Floats]:
        """Unit vectors to the right, upwards and towards the viewer."""
        t, h = math.radians(self.turn), math.radians(self.height)
        right = np.array([math.cos(t), math.sin(t), 0.0])
        towards = np.array([math.sin(t) * math.cos(h), -math.cos(t) * math.cos(h), math.sin(h)])
        return right, np.cross(towards, right), towards

    def orbited(self, dx: float, dy: float) -> Camera:
        """Turned by a drag of so many pixels."""
        return replace(
            self,
            turn=(self.turn - dx * 0.4) % 360.0,
            height=min(90.0, max(-90.0, self.height + dy * 0.4)),
        )

    def towards(self, other: Camera, share: float) -> Camera:
        """A share of the way to another camera, turned the shorter way round."""
        apart = (other.turn - self.turn + 180.0) % 360.0 - 180.0
        here, there = np.array(self.centre), np.array(other.centre)
        return Camera(
            turn=(self.turn + apart * share) % 360.0,
            height=self.height + (other.height - self.height) * share,
            span=self.span * (other.span / self.span) ** share,
            centre=tuple((here + (there - here) * share).tolist()),
        )

    def panned(self, dx: float, dy: float, pixels_high: float) -> Camera:
        """Moved so that the part follows the pointer."""
        right, up, _ = self.axes()
        mm = self.span / max(1.0, pixels_high)
        centre = np.array(self.centre) - right * dx * mm + up * dy * mm
        return replace(self, centre=tuple(centre.tolist()))

    def zoomed(self, factor: float, at: tuple[float, float] = (0.0, 0.0)) -> Camera:
        """Closer by a factor, keeping what is at ``at`` (in picture heights from the middle, y up)
        in place."""
        span = min(1e6, max(0.05, self.span / factor))
        right, up, _ = self.axes()
        shift = self.span - span
        centre = np.array(self.centre) + (right * at[0] + up * at[1]) * shift
        return replace(self, span=span, centre=tuple(centre.tolist()))

    def looking(self, name: str) -> Camera:
        """From one of the standard directions."""
        turn, height = STANDARD[name]
        return replace(self, turn=turn, height=height)

    def fitted(self, points: Floats, aspect: float, margin: float = 1.14) -> Camera:
        """So that all points are in the picture of a width over height."""
        if not len(points):
            return self
        right, up, towards = self.axes()
        basis = np.stack([right, up, towards])
        seen = points @ basis.T
        low, high = seen.min(axis=0), seen.max(axis=0)
        span = (
            max(float(high[1] - low[1]), float(high[0] - low[0]) / max(0.1, aspect), 1.0) * margin
        )
        centre = (low + high) / 2 @ basis
        return replace(self, span=span, centre=tuple(centre.tolist()))

    def project(self, points: Floats, width: float, height: float) -> Floats:
        """Pixels (n, 2), y downwards, of points in space."""
        right, up, _ = self.axes()
        d = np.atleast_2d(points) - np.array(self.centre)
        scale = height / self.span
        return np.stack([width / 2 + d @ right * scale, height / 2 - d @ up * scale], axis=1)

    def ray(self, x: float, y: float, width: float, height: float) -> tuple[Floats, Floats]:
        """Start (far towards the viewer) and direction of the line of sight through a pixel."""
        right, up, towards = self.axes()
        mm = self.span / height
        start = np.array(self.centre) + right * (x - width / 2) * mm - up * (y - height / 2) * mm
        return start + towards * 1e5, -towards
