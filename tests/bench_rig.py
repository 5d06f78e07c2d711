"""Benches of the rig: how long its pictures take, and how much memory."""

import subprocess
import sys
from collections.abc import Iterator
from statistics import median

import numpy as np

from saltwort.core.scene.decisions import FIRST_LIGHTS
from saltwort.core.scene.rig.bands import RgbBands
from saltwort.core.scene.rig.mixing import mixed
from saltwort.core.scene.rig.stage import Input, Rig, ball_texture, build_stage
from saltwort.core.scene.rig.tracing import trace
from saltwort.core.spaces.typed import TypedColour
from tests.bench_shared import ROOT, Row, seconds
from tests.samples import SRGB, light, project_config

ROUNDS = 5
PREVIEW = (320, 180, 4)


def bench_rig() -> tuple[RgbBands, Rig]:
    """The rig with a sky, stone with normals, and a texture ball."""
    swatch = TypedColour(SRGB, "8-bit", "47 106 104")
    path, ball = ball_texture(project_config(), swatch)
    sky = light(256, 512, peak=500.0)
    stone = light(256, 256, peak=1.0)
    inputs = {
        "ball": Input(path, SRGB, ball),
        "environment": Input("sky.exr", "ACEScg", sky),
        "stone": Input("stone.png", SRGB, stone),
        "stone-normals": Input("normals.png", "Raw", np.broadcast_to(np.array([0.5, 0.5, 1], np.float32), stone.shape)),
    }
    return RgbBands(project_config(), "ACEScg"), Rig(swatch, inputs, FIRST_LIGHTS)


def rig_rendering() -> list[Row]:
    """The quick look, a picture of 16 samples, whether cost grows with pixels and samples alone, and remixing."""
    bands, rig = bench_rig()

    def rendered(width: int, height: int, samples: int) -> float:
        return seconds(lambda: trace(build_stage(bands, rig), width, height, samples))

    quick = min(rendered(*PREVIEW) for _ in range(3))
    points = ((480, 270, 16), (640, 360, 4), (640, 360, 16))
    taken = [rendered(*point) for point in points]
    each = [
        second * 1e6 / (width * height * samples)
        for second, (width, height, samples) in zip(taken, points, strict=True)
    ]
    spread = max(each) / min(each)
    layers = np.ones((5, 3, 540, 960), np.float32)
    gains = np.full((5, 3), 0.5, np.float32)
    remix = median(seconds(lambda: mixed(layers, gains)) for _ in range(ROUNDS))
    listed = ", ".join(
        f"{width} × {height} × {samples}: {one:.1f} µs"
        for (width, height, samples), one in zip(points, each, strict=True)
    )
    return [
        Row("quick look at the rig, 320 × 180", f"{quick:.2f} s", "under 1.5 s", quick < 1.5),
        Row("the rig, 640 × 360 with 16 samples", f"{taken[-1]:.1f} s", "under 20 s", taken[-1] < 20),
        Row("cost of a path", f"{listed}; {spread:.2f} times apart", "within 1.5 times", spread < 1.5),
        Row("lights mixed anew, 960 × 540", f"{remix * 1000:.1f} ms", "under 30 ms", remix < 0.03),
    ]


RIG_MEMORY = """
from tests.bench_rig import bench_rig
from saltwort.core.scene.rig.stage import build_stage
from saltwort.core.scene.rig.tracing import trace
bands, rig = bench_rig()
trace(build_stage(bands, rig), 960, 540, 1)
print(next(line for line in open("/proc/self/status") if line.startswith("VmHWM")).split()[1])
"""


def memory_of_the_rig() -> Row:
    """The most memory of a process that renders the rig at 960 × 540, all layers in float32."""
    command = [sys.executable, "-c", RIG_MEMORY]
    found = subprocess.run(command, cwd=ROOT, capture_output=True, text=True, check=True)
    peak = int(found.stdout) / 1024
    return Row("peak memory for the rig at 960 × 540", f"{peak:.0f} MB", "under 700 MB", peak < 700)


def rows() -> Iterator[Row]:
    yield from rig_rendering()
    yield memory_of_the_rig()
