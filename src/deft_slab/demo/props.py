"""The props of the harbour play, as signed distance functions."""

from __future__ import annotations

import math

import numpy as np

from ..core.arrays import Floats32
from .forms import Points, blend, carve, egg, grid, limb, ring, segment, surface


def _wing(p: Points) -> Floats32:
    """The wing on the side of +y: arm, hand and a fan of feathers, thin and slightly drooping."""
    flat = (p[0], p[1], (p[2] - 92.0) * 2.4 + 92.0)  # squeezed: a section 2.4 times as deep as thick

    def lifted(point: tuple[float, float, float]) -> tuple[float, float, float]:
        return point[0], point[1], (point[2] - 92.0) * 2.4 + 92.0

    wing = limb(flat, lifted((8, 8, 88)), lifted((14, 52, 101)), 17, 13)
    wing = blend(wing, limb(flat, lifted((14, 52, 101)), lifted((-4, 88, 95)), 13, 8), 10)
    for number in range(7):
        share = number / 6
        root = (8 - 6 * share, 26 + 56 * share, 94 + 7 * math.sin(share * 2.4))
        tip = (-34 - 8 * math.sin(share * 3.0), 24 + 74 * share, 88 + 5 * math.sin(share * 2.2))
        wing = blend(wing, limb(flat, lifted(root), lifted(tip), 9.0, 4.2), 4)
    return wing / 1.6  # the squeeze makes distances too long; this keeps the blend radii honest


def gull() -> tuple:
    """A gull figurehead with spread wings on a turned post wound with rope."""
    low, high, step = (-92.0, -104.0, -3.0), (96.0, 104.0, 140.0), 1.0
    p = grid(low, high, step)
    mirrored = (p[0], np.abs(p[1]), p[2])
    body = egg(p, (0, 0, 82), (46, 23, 20))
    body = blend(body, egg(p, (24, 0, 84), (24, 20, 21)), 12)
    body = blend(body, limb(p, (28, 0, 92), (46, 0, 116), 14, 10.5), 14)
    body = blend(body, egg(p, (51, 0, 121), (15, 11.5, 11.5)), 6)
    body = blend(body, _wing(mirrored), 9)
    for side in (-1, 0, 1):
        tail = (p[0], p[1], (p[2] - 84) * 2.2 + 84)
        body = blend(body, limb(tail, (-36, side * 4, 84), (-80, side * 15, 88), 9, 5), 5)
    beak = limb(p, (60, 0, 120), (80, 0, 117), 6.0, 4.0)
    beak = blend(beak, limb(p, (80, 0, 117), (86, 0, 110), 4.0, 1.8), 4)
    body = blend(body, beak, 3)
    eyes = egg(mirrored, (57, 9.3, 124.5), (3.0, 2.2, 3.0))
    body = blend(carve(body, egg(mirrored, (57, 11.2, 124.5), (4.4, 2.6, 4.4)), 1.0), eyes, 0.6)
    # the foot flares by less than 45 degrees, so that it prints clean either way up
    post = limb(p, (0, 0, 0), (0, 0, 26), 32, 13)
    post = blend(post, limb(p, (0, 0, 10), (0, 0, 70), 13, 10.5), 6)
    for height in (27, 58):
        post = blend(post, ring(p, (0, 0, height), 13.5, 2.4), 2)
    turn = np.arctan2(p[1], p[0])
    rope_at = 30 + ((p[2] - 30) - 8 * turn / (2 * np.pi) + 4) % 8 - 4
    rope_height = np.clip(p[2], 31, 50)
    rope = np.hypot(np.hypot(p[0], p[1]) - 13.2, np.where(p[2] == rope_height, rope_at - 30, p[2] - rope_height)) - 2.7
    post = blend(post, rope, 1.2)
    whole = blend(body, post, 10)
    return *surface(carve(whole, p[2] + np.zeros_like(whole), 1.5), low, step), "Gull figurehead"


def _bell(z: Floats32, profile: list[tuple[float, float]]) -> Floats32:
    heights, radii = zip(*profile, strict=True)
    return np.interp(z, heights, radii).astype(np.float32)


def lantern() -> tuple:
    """A harbour lantern: a hollow shell with window openings, a bell roof and a carrying ring. 310 mm tall."""
    low, high, step = (-82.0, -82.0, -3.0), (82.0, 82.0, 313.0), 1.7
    p = grid(low, high, step)
    around = np.hypot(p[0], p[1]) + np.zeros_like(p[2])
    turn = np.arctan2(p[1], p[0])
    ribs = 1.6 * np.cos(6 * turn) ** 8
    z = p[2]
    outer = _bell(z[:, 0, 0], [
        (-5, 62), (0, 62), (8, 64), (18, 60), (26, 52), (40, 55), (70, 62), (110, 66), (150, 64), (178, 58),
        (186, 57), (190, 74), (196, 76), (202, 72), (222, 52), (244, 32), (262, 17), (270, 14), (276, 12), (320, 12),
    ])[:, None, None]
    steep = np.gradient(outer[:, 0, 0], step)[:, None, None]
    skin = (around - outer - np.where((z > 30) & (z < 182), ribs, 0.0)) / np.sqrt(1 + np.clip(steep, -1.5, 1.5) ** 2)
    body = np.maximum(skin, np.maximum(z - 276, -z))
    hollow = np.maximum(np.maximum(skin + 4.2, z - 262), 5.0 - z)
    shell = np.maximum(body, -hollow)
    sixth = np.pi / 3
    folded = (turn + sixth / 2) % sixth - sixth / 2
    across = around * np.sin(folded)
    window = np.hypot(across, np.maximum(np.maximum(72 - z, z - 142), 0)) - 19
    window = np.maximum(window, 30 - around)
    shell = carve(shell, window, 2.0)
    frame = np.hypot(np.abs(window) - 0.5, skin - 1.0) - 2.3
    shell = blend(shell, np.maximum(frame, 30 - around), 1.5)
    bars = np.hypot(across, skin + 2.0) - 2.2
    shell = blend(shell, np.maximum(bars, np.maximum(46 - z, z - 170)), 1.0)
    vents = np.hypot(around * np.sin((turn + sixth / 4) % (sixth / 2) - sixth / 4), (z - 212) * 0.9) - 4.5
    shell = carve(shell, np.maximum(vents, 40 - around), 1.0)
    finial = blend(egg(p, (0, 0, 279), (13, 13, 9)), limb(p, (0, 0, 279), (0, 0, 290), 6, 4.5), 3)
    handle = np.hypot(np.hypot(p[0], z - 298) - 9.0, p[1]) - 3.0
    shell = blend(shell, blend(finial, handle + np.zeros_like(shell), 2), 3)
    for height, radius in ((6, 63), (184, 58.5)):
        shell = blend(shell, ring(p, (0, 0, height), radius, 3.0), 2)
    shell = carve(shell, z + np.zeros_like(shell), 1.5)
    return *surface(shell, low, step), "Harbour lantern"


def hook() -> tuple:
    """A coat hook: a tentacle that leaves a flat-backed plate, dips, rises and curls, with suckers on its underside."""
    low, high, step = (-3.0, -46.0, -88.0), (128.0, 46.0, 74.0), 1.0
    p = grid(low, high, step)
    t = np.linspace(0, 1, 40)
    reach = 8 + 74 * t - 16 * t**3
    rise = -34 * np.sin(np.pi * t * 0.78) - 10 + 34 * t**2.2
    spiral = np.linspace(0, 1.55 * np.pi, 26)[1:]
    radius = 17 * (1 - 0.62 * spiral / spiral[-1])
    heading = math.atan2(rise[-1] - rise[-2], reach[-1] - reach[-2])
    centre = np.array([reach[-1] - 17 * math.sin(heading), rise[-1] + 17 * math.cos(heading)])
    start = heading - np.pi / 2
    curl = np.stack([centre[0] + radius * np.cos(start + spiral), centre[1] + radius * np.sin(start + spiral)], axis=1)
    path = np.concatenate([np.stack([reach, rise], axis=1), curl])
    sway = 9 * np.sin(np.linspace(0, 2.6, len(path)))
    path = np.stack([path[:, 0], sway, path[:, 1]], axis=1)
    length = np.r_[0, np.cumsum(np.linalg.norm(np.diff(path, axis=0), axis=1))]
    thick = 15.5 * (1 - length / length[-1]) ** 0.75 + 3.4
    arm = np.full((p[2].shape[0], p[1].shape[1], p[0].shape[2]), 50.0, np.float32)
    for n in range(len(path) - 1):
        arm = np.minimum(arm, limb(p, path[n], path[n + 1], thick[n], thick[n + 1]))
    for n in range(5, len(path) - 6, 3):
        along = path[n + 1] - path[n - 1]
        along = along / np.linalg.norm(along)
        below = np.cross(along, [0, 1, 0])
        below = below / np.linalg.norm(below)
        for side in (-0.45, 0.45):
            out = below * math.cos(side) + np.array([0, 1, 0]) * math.sin(side)
            at = path[n] + out * thick[n] * 0.98
            size = 0.30 * thick[n] + 0.7
            distance, _ = segment(p, at, at + out * 0.01)
            height = sum((p[k] - at[k]) * out[k] for k in range(3))
            flat = np.sqrt(np.maximum(distance**2 - height**2, 0))
            rim = np.hypot(flat - size, height - 0.3) - 0.34 * size
            arm = blend(carve(arm, np.hypot(flat / 0.8, height * 1.4) - size * 0.7, 0.5), rim, 0.8)
    plate = egg((p[0] * 1.0, p[1], p[2]), (0, 0, -12), (11, 34, 68))
    for height in (34, -58):
        screw = np.hypot(p[1], p[2] - height)
        plate = carve(plate, screw - 2.4 - np.maximum(p[0] - 3.5, 0) * 0.9, 0.6)
        plate = blend(plate, np.hypot(screw - 6.5, p[0] - _plate_depth(height)) - 1.6, 1.0)
    whole = blend(plate, arm, 9)
    return *surface(carve(whole, p[0] + np.zeros_like(whole), 1.5), low, step), "Tentacle hook"


def _plate_depth(height: float) -> float:
    return 11 * math.sqrt(max(1 - ((height + 12) / 68) ** 2, 0.0))


def helmet() -> tuple:
    """A diver's helmet of tin: a shell around the head with a round window, a neck ring and a valve on the crown.

    It is modelled at three quarters of its final size, because the part in the play is still to be cast.
    """
    low, high, step = (-104.0, -116.0, -3.0), (104.0, 108.0, 218.0), 2.0
    p = grid(low, high, step)
    outer = egg(p, (0, 0, 112), (90, 96, 98))
    outer = blend(outer, limb(p, (0, 0, 0), (0, 0, 60), 76, 70), 20)
    inner = egg(p, (0, 0, 112), (85.5, 91.5, 93.5))
    inner = blend(inner, limb(p, (0, 0, -20), (0, 0, 60), 71.5, 65.5), 20)
    shell = carve(outer, inner, 1.0)
    window = np.maximum(np.hypot(p[0], p[2] - 116) - 40, p[1] + 20)
    shell = carve(shell, window, 1.5)
    rim = np.hypot(np.hypot(p[0], p[2] - 116) - 43, p[1] + 84) - 5.5
    shell = blend(shell, np.maximum(rim, -inner - 2), 2.5)
    for turn in np.linspace(0, 2 * np.pi, 12, endpoint=False):
        at = (43 * math.cos(turn), -90.0, 116 + 43 * math.sin(turn))
        shell = blend(shell, egg(p, at, (2.6, 2.6, 2.6)), 1.0)
    shell = blend(shell, np.maximum(ring(p, (0, 0, 6), 77, 5.0), -inner), 3)
    valve = limb(p, (0, 0, 206), (0, 0, 213), 9, 7)
    shell = blend(shell, np.maximum(valve, -inner), 3)
    return *surface(carve(shell, p[2] + np.zeros_like(shell), 1.5), low, step), "Diver helmet"


def puppet() -> tuple:
    """The harbour master, a puppet for the smallest stage: a cape that blows behind him and one raised, open hand.
    92 mm.
    """
    low, high, step = (-42.0, -30.0, -2.0), (40.0, 40.0, 96.0), 0.6
    p = grid(low, high, step)
    z = p[2]
    body = limb(p, (0, 0, 16), (0, 0, 44), 11.5, 12.5)
    body = blend(body, limb(p, (0, -2, 44), (0, 0, 56), 12.5, 6.0), 4)
    body = blend(body, egg(p, (0, -1, 67), (10.5, 11, 12)), 3)
    body = blend(body, limb(p, (0, -11, 66), (0, -17, 64.5), 2.6, 2.0), 1.5)  # the nose
    brim = np.maximum(np.hypot(p[0], p[1] + 1) - 15.5, np.abs(z - 74.5) - 1.2)
    body = blend(body, blend(brim, limb(p, (0, -1, 75), (0, 0, 86), 10.0, 8.0), 1.5), 1.0)
    for side in (-1, 1):  # legs and shoes
        body = blend(body, limb(p, (6 * side, 0, 20), (7.5 * side, 0, 5), 6.0, 4.4), 2)
        body = blend(body, limb(p, (7.5 * side, 0, 4), (8.5 * side, -9, 3.4), 4.4, 3.6), 1.5)
    body = blend(body, limb(p, (11, -1, 50), (21, -5, 36), 5.0, 3.8), 3)  # an arm on the hip
    body = blend(body, limb(p, (21, -5, 36), (12, -11, 30), 3.8, 3.2), 2)
    body = blend(body, limb(p, (-11, -1, 50), (-25, -4, 58), 5.0, 3.6), 3)  # and one raised
    body = blend(body, limb(p, (-25, -4, 58), (-30, -6, 71), 3.6, 2.8), 2)
    palm = (-30.5, -6.5, 74.5)
    body = blend(body, egg(p, palm, (4.2, 2.4, 4.4)), 1.2)
    for number, (tip_x, tip_z) in enumerate(((-38.5, 79.5), (-36.5, 86.0), (-32.5, 88.5), (-28.0, 87.0))):
        start = (palm[0] - 2.6 + 1.7 * number, palm[1], palm[2] + 2.5)
        body = blend(body, limb(p, start, (tip_x, palm[1] - 2.0, tip_z), 1.35, 1.05), 0.5)
    body = blend(body, limb(p, (-27.5, -7, 73), (-22.5, -9.5, 76.5), 1.5, 1.15), 0.5)
    # the cape: a bell open in front, that blows out behind; its hem hangs lower there
    turn = np.arctan2(p[0], p[1])
    reach = 12.0 + 0.011 * np.clip(56.0 - z, 0.0, 60.0) ** 2 + 1.4 * np.cos(7 * turn) * np.clip((56.0 - z) / 40.0, 0, 1)
    around = np.hypot(p[0], p[1] - 1.0)
    hem = 13.0 - 5.0 * np.cos(turn)
    cape = (np.abs(around - reach) - 1.1) / 1.35
    cape = np.maximum(np.maximum(cape, z - 56.0), np.maximum(hem - z, (np.abs(turn) - 2.05) * 12.0))
    whole = blend(body, cape, 1.2)
    collar = np.hypot(np.hypot(p[0], p[1] - 0.5) - 10.5, z - 55.0) - 2.0
    whole = blend(whole, collar, 1.5)
    return *surface(carve(whole, z + np.zeros_like(whole), 0.8), low, step), "Harbour master puppet"
