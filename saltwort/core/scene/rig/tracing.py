"""Light transport on a rig: every light from the camera's side, direct and over two bounces, in layers.

A path tracer after Veach, Robust Monte Carlo Methods for Light Transport Simulation (1997): at each surface every light
is drawn directly and a reflected ray is followed, the two weighted by the balance heuristic. After the first surface
one light is drawn for each path. Every chance is spread evenly over the samples of a pixel (a Latin hypercube), and
turned for each pixel by a random offset.
"""

from collections.abc import Callable
from dataclasses import dataclass, field
from functools import partial

import numpy as np
from numpy.typing import NDArray

from saltwort.core.scene.rig.bodies import (
    Array,
    Ids,
    dot,
    is_open,
    nearest,
    normalised,
    surface_of,
)
from saltwort.core.scene.rig.described import Body, Stage, texels
from saltwort.core.scene.rig.lamps import ball_density, draw_ball, emitted_by
from saltwort.core.scene.rig.reflection import Gloss, albedo_table, gloss_of, reflected, reflected_way
from saltwort.core.threads import CORES, on_all_cores

SURFACES = 3
"""Surfaces on a path that are lit: direct light and two bounces."""
CHUNK = 1 << 15
"""Rays a thread follows at a time, of three bands: fewer, and Python takes longer than the arrays; more, and the
vectors leave the cache."""
BATCH = 16
"""Samples between two looks at whether somebody wants the picture to stop: a second or two."""
OFFSET = np.float32(1e-3)
"""Metres that a ray starts off its surface."""
SEED = 1


@dataclass(frozen=True)
class Traced:
    """A picture of a stage: light of each layer, shape (layers, bands, height, width); of the first surface that the
    camera sees, the base colour, (bands, height, width), distance in metres (0 for none) and body number (−1 for none),
    (height, width) each; and `emitted`, the part of each layer that is seen of the lights themselves."""

    layers: Array
    emitted: Array
    albedo: Array
    depth: Array
    bodies: Ids


def trace(
    stage: Stage,
    width: int,
    height: int,
    samples: int,
    seed: int = SEED,
    progress: Callable[[float], None] | None = None,
) -> Traced:
    """Render a stage. The same seed gives the same bits, however many cores there are.

    `progress` is told the share done, 0–1, from the calling thread, and may raise to stop.
    """
    chances = _spread(samples, seed)
    albedo_table()
    chunks = -(-height * width * max(1, stage.bands // 12) // CHUNK)
    rows = -(-height // (-(-chunks // CORES) * CORES))
    result = Traced(
        layers=np.zeros((len(stage.layers), stage.bands, height, width), np.float32),
        emitted=np.zeros((len(stage.layers), stage.bands, height, width), np.float32),
        albedo=np.zeros((stage.bands, height, width), np.float32),
        depth=np.zeros((height, width), np.float32),
        bodies=np.full((height, width), -1, np.int16),
    )

    def render(first: int, top: int) -> None:
        bottom = min(height, top + rows)
        offsets = np.stack(
            [np.random.default_rng([seed, row]).random((_CHANCES, width), np.float32) for row in range(top, bottom)],
            axis=1,
        ).reshape(_CHANCES, -1)
        for number, sample in enumerate(chances[first : first + BATCH], start=first):
            turned = offsets + sample[:, None]
            turned -= np.floor(turned)
            _add_sample(stage, result, (top, bottom), turned, number, np.float32(1 / samples))

    def told(first: int, share: float) -> None:
        if progress:
            progress((first + share * min(BATCH, samples - first)) / samples)

    for first in range(0, samples, BATCH):
        on_all_cores(partial(render, first), range(0, height, rows), partial(told, first))
    return result


# Chances of a path, in order: the place in the pixel; for each surface the lights drawn, then the reflected way.
_MOST_LIGHTS = 4
_FIRST_SURFACE = 2
_SECOND_SURFACE = _FIRST_SURFACE + 2 * _MOST_LIGHTS + 3
_LATER = 6
_CHANCES = _SECOND_SURFACE + _LATER * (SURFACES - 1)


def _spread(samples: int, seed: int) -> Array:
    """Chances on 0–1, (samples, chances of a path): each falls once into every one of `samples` equal parts."""
    random = np.random.default_rng(seed)
    parts = random.permuted(np.tile(np.arange(samples), (_CHANCES, 1)), axis=1)
    return np.asarray(((parts + random.random((_CHANCES, samples))) / samples).T, np.float32)


def _add_sample(
    stage: Stage, result: Traced, rows: tuple[int, int], chances: Array, number: int, weight: np.float32
) -> None:
    """Follow one path through each pixel of some rows, and add what it brings."""
    top, bottom = rows
    height, width = result.depth.shape
    y, x = np.mgrid[top:bottom, :width].reshape(2, -1).astype(np.float32)
    across = (x + chances[0]) / width
    down = (y + chances[1]) / height
    camera = stage.camera
    span = np.float32(camera.width_at_one)
    up = (np.float32(0.5) - down) * span * np.float32(height / width) + np.float32(camera.shift)
    ways = normalised(np.stack([(across - np.float32(0.5)) * span, up, np.ones_like(up)]))
    origins = np.broadcast_to(np.array(camera.eye, np.float32)[:, None], ways.shape)
    distance, body = nearest(stage.shapes, origins, ways)
    path = _Path(stage, len(across))
    path.see(origins, ways, distance, body, (across, down))
    shape = (bottom - top, width)
    result.emitted[:, :, top:bottom] += (
        weight * path.light.reshape(*path.light.shape[:2], *shape) * (body.reshape(shape) >= 0)
    )
    hits = np.flatnonzero(path.is_surface(body))
    path.follow(hits, origins[:, hits], ways[:, hits], distance[hits], body[hits], chances[:, hits])
    result.layers[:, :, top:bottom] += weight * path.light.reshape(*path.light.shape[:2], *shape)
    result.albedo[:, top:bottom] += weight * path.albedo.reshape(stage.bands, *shape)
    if number == 0:
        result.depth[top:bottom] = np.where(np.isfinite(distance), distance, 0).reshape(shape)
        result.bodies[top:bottom] = body.reshape(shape)


@dataclass
class _Surfaces:
    """Hit surfaces of many bodies, by ray: points, geometric and shading normals with tangents, base and gloss."""

    points: Array
    normals: Array
    frame: tuple[Array, Array, Array]
    base: Array
    gloss: Gloss

    def to_local(self, ways: Array) -> Array:
        return np.stack([dot(axis, ways) for axis in self.frame])

    def to_world(self, local: Array) -> Array:
        first, second, normal = self.frame
        return np.asarray(local[0] * first + local[1] * second + local[2] * normal)

    def of(self, chosen: NDArray[np.intp]) -> "_Surfaces":
        gloss = self.gloss
        return _Surfaces(
            self.points[:, chosen],
            self.normals[:, chosen],
            (self.frame[0][:, chosen], self.frame[1][:, chosen], self.frame[2][:, chosen]),
            self.base[:, chosen],
            Gloss(gloss.alpha[chosen], gloss.metalness[chosen], gloss.dielectric_albedo[chosen], gloss.boost[chosen]),
        )


@dataclass
class _Path:
    """Paths through some pixels: what they have brought, by layer, and the base colour that they hit first."""

    stage: Stage
    count: int
    light: Array = field(init=False)
    albedo: Array = field(init=False)

    def __post_init__(self) -> None:
        self.light = np.zeros((len(self.stage.layers), self.stage.bands, self.count), np.float32)
        self.albedo = np.zeros((self.stage.bands, self.count), np.float32)

    def is_surface(self, body: Ids) -> NDArray[np.bool_]:
        """Rays that hit something which is no light."""
        surfaces = np.array([isinstance(body, Body) for body in self.stage.bodies] + [False])
        return np.asarray(surfaces[body])

    def see(self, origins: Array, ways: Array, distance: Array, body: Ids, place: tuple[Array, Array]) -> None:
        """Add what the camera sees without any surface between: the lights, and what stands behind all."""
        stage = self.stage
        missed = np.flatnonzero(body < 0)
        if stage.backplate is not None:
            _, height, width = stage.backplate.shape
            column = np.minimum((place[0][missed] * width).astype(np.intp), width - 1)
            row = np.minimum((place[1][missed] * height).astype(np.intp), height - 1)
            self.light[-1][:, missed] += stage.backplate[:, row, column]
        elif stage.environment is not None:
            self.light[0][:, missed] += stage.environment.along(ways[:, missed])[0]
        for number, lamp in stage.lamps:
            if (hits := np.flatnonzero(body == number)).size:
                self.light[lamp.layer][:, hits] += emitted_by(lamp, origins, ways, distance, hits)

    def follow(
        self, rays: NDArray[np.intp], origins: Array, ways: Array, distance: Array, body: Ids, chances: Array
    ) -> None:
        """Add the light that the surfaces send back which `rays` (numbers of paths) have hit."""
        stage = self.stage
        throughput = np.ones((stage.bands, len(rays)), np.float32)
        place = _FIRST_SURFACE
        for number in range(SURFACES):
            if not len(rays):
                return
            surfaces = self._surfaces(origins, ways, distance, body)
            if number == 0:
                self.albedo[:, rays] = surfaces.base
            eye = surfaces.to_local(-ways)
            eye[2] = np.maximum(eye[2], np.float32(1e-3))
            eye = normalised(eye)
            if number == 0:
                for light in range(self._lights()):
                    drawn = chances[place + 2 * light : place + 2 * light + 2]
                    self._light(light, rays, throughput, surfaces, eye, drawn, np.float32(1))
                place += 2 * _MOST_LIGHTS
            else:
                self._light_by_chance(rays, throughput, surfaces, eye, chances[place : place + 3])
                place += 3
            local = reflected_way(surfaces.gloss, eye, chances[place : place + 3])
            place += 3
            first, second, third, found = reflected(surfaces.gloss, eye, local)
            ways = surfaces.to_world(local)
            alive = np.flatnonzero((found > 1e-9) & (dot(ways, surfaces.normals) > 0))
            share = 1 / found[alive]
            base = surfaces.base[:, alive]
            throughput = throughput[:, alive] * ((first[alive] + base * (second[alive] + base * third[alive])) * share)
            rays, ways, found, chances = rays[alive], ways[:, alive], found[alive], chances[:, alive]
            origins = surfaces.points[:, alive] + surfaces.normals[:, alive] * OFFSET
            distance, body = nearest(stage.shapes, origins, ways)
            self._meet_lights(rays, throughput, origins, ways, distance, body, found)
            alive = np.flatnonzero(self.is_surface(body))
            rays, origins, ways = rays[alive], origins[:, alive], ways[:, alive]
            distance, body, chances = distance[alive], body[alive], chances[:, alive]
            throughput = throughput[:, alive]

    def _lights(self) -> int:
        """Lights that can be drawn: the environment first, where there is one."""
        return len(self.stage.lamps) + (self.stage.environment is not None)

    def _light_by_chance(
        self, rays: NDArray[np.intp], throughput: Array, surfaces: _Surfaces, eye: Array, chances: Array
    ) -> None:
        """One light for each path, for all of them."""
        count = self._lights()
        choice = np.minimum((chances[2] * count).astype(np.intp), count - 1)
        for light in range(count):
            chosen = np.flatnonzero(choice == light)
            self._light(
                light,
                rays[chosen],
                throughput[:, chosen],
                surfaces.of(chosen),
                eye[:, chosen],
                chances[:2, chosen],
                np.float32(count),
            )

    def _light(
        self,
        light: int,
        rays: NDArray[np.intp],
        throughput: Array,
        surfaces: _Surfaces,
        eye: Array,
        chances: Array,
        scale: np.float32,
    ) -> None:
        """Add what one light brings to surfaces straight away. `light` counts as `_lights` does."""
        if not len(rays):
            return
        stage = self.stage
        origins = surfaces.points + surfaces.normals * OFFSET
        lamp = None if stage.environment and light == 0 else stage.lamps[light - (stage.environment is not None)][1]
        if lamp:
            ways, density, reach = draw_ball(lamp.shape, origins, chances)
        elif stage.environment:
            ways, sky, density = stage.environment.draw(chances)
            reach = np.full(len(rays), np.inf, np.float32)
        local = surfaces.to_local(ways)
        first, second, third, found = reflected(surfaces.gloss, eye, local)
        lit = np.flatnonzero((first + second > 0) & (dot(ways, surfaces.normals) > 0) & (density > 0))
        lit = lit[is_open(stage.shapes, origins[:, lit], ways[:, lit], reach[lit])]
        if not lit.size:
            return
        radiance = emitted_by(lamp, origins, ways, reach, lit) if lamp else sky[:, lit]
        share = scale / (density[lit] + found[lit])
        base = surfaces.base[:, lit]
        reflection = first[lit] + base * (second[lit] + base * third[lit])
        self.light[lamp.layer if lamp else 0][:, rays[lit]] += throughput[:, lit] * radiance * (reflection * share)

    def _meet_lights(
        self,
        rays: NDArray[np.intp],
        throughput: Array,
        origins: Array,
        ways: Array,
        distance: Array,
        body: Ids,
        found: Array,
    ) -> None:
        """Add what reflected rays have met of the lights; `found` is the probability of their way."""
        stage = self.stage
        missed = np.flatnonzero(body < 0)
        if stage.environment is not None and missed.size:
            radiance, density = stage.environment.along(ways[:, missed])
            share = found[missed] / (found[missed] + density)
            self.light[0][:, rays[missed]] += throughput[:, missed] * radiance * share
        for number, lamp in stage.lamps:
            if not (hits := np.flatnonzero(body == number)).size:
                continue
            share = found[hits] / (found[hits] + ball_density(lamp.shape, origins[:, hits]))
            emitted = emitted_by(lamp, origins, ways, distance, hits)
            self.light[lamp.layer][:, rays[hits]] += throughput[:, hits] * emitted * share

    def _surfaces(self, origins: Array, ways: Array, distance: Array, body: Ids) -> _Surfaces:
        """The surfaces that rays have hit."""
        count = origins.shape[1]
        points = origins + ways * distance
        normals, shading, along_u, along_v = (np.empty((3, count), np.float32) for _ in range(4))
        base = np.empty((self.stage.bands, count), np.float32)
        roughness, metalness = np.empty(count, np.float32), np.empty(count, np.float32)
        for number in np.unique(body):
            here = np.flatnonzero(body == number)
            hit = self.stage.bodies[number]
            assert isinstance(hit, Body), "only surfaces are asked for"
            surface, material = surface_of(hit.shape, points[:, here]), hit.material
            normals[:, here], along_u[:, here], along_v[:, here] = surface.normals, surface.along_u, surface.along_v
            base[:, here] = texels(material.base, surface.uv)
            roughness[here] = texels(material.roughness, surface.uv)[0]
            metalness[here] = texels(material.metalness, surface.uv)[0]
            if material.normals is None:
                shading[:, here] = surface.normals
            else:
                vector = texels(material.normals, surface.uv)
                bent = vector[0] * surface.along_u + vector[1] * surface.along_v + vector[2] * surface.normals
                shading[:, here] = normalised(bent)
        # From inside a box or ball, and where a bent normal looks away from the eye, the surface is turned round.
        inside = dot(normals, ways) > 0
        normals = np.where(inside, -normals, normals)
        shading = np.where(dot(shading, ways) > 0, normals, shading)
        first = normalised(along_u - shading * dot(along_u, shading))
        second = np.cross(shading, first, axis=0)
        gloss = gloss_of(roughness, metalness, np.clip(-dot(shading, ways), 0, 1))
        return _Surfaces(points, normals, (first, second, shading), base, gloss)
