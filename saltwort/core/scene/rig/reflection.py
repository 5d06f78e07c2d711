"""How surfaces reflect: a diffuse base below a rough dielectric, and rough metals.

Microfacets after Walter et al., Microfacet Models for Refraction through Rough Surfaces (2007), with the distribution
of visible normals of Heitz, Sampling the GGX Distribution of Visible Normals (2018); Fresnel after Schlick (1994). What
bounces more than once between facets is given back after Turquin, Practical Multiple Scattering Compensation for
Microfacet Models (2019), and the base gets what the surface above it lets through, so that no energy is lost or made.
"""

from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from saltwort.core.scene.rig.bodies import Array, dot, normalised

DIELECTRIC = np.float32(0.04)
"""Share that a dielectric of refractive index 1.5 reflects head on."""
SMOOTHEST = np.float32(0.02)
"""Least roughness: below, a highlight of a small light is one pixel of noise."""
TABLE_SIDE = 32


@dataclass(frozen=True)
class Gloss:
    """What decides how surfaces reflect but for their colour, each (n,): squared roughness, metalness, and for the way
    to the eye the share that a white facet and a dielectric reflect in all, with the compensation for a white facet."""

    alpha: Array
    metalness: Array
    dielectric_albedo: Array
    boost: Array
    """1 / E − 1, with E what a surface of perfect mirrors of this roughness reflects in one bounce."""

    @property
    def glossy_share(self) -> Array:
        """How often a reflected ray is drawn from the facets, not from the base."""
        dielectric = np.clip(self.dielectric_albedo, 0.25, 1)
        return np.asarray(dielectric + (1 - dielectric) * self.metalness, np.float32)


def gloss_of(roughness: Array, metalness: Array, facing: Array) -> Gloss:
    """The gloss of surfaces seen at `facing`, the cosine between normal and eye."""
    alpha = np.maximum(roughness, SMOOTHEST) ** 2
    low, high = _albedo(facing, np.maximum(roughness, SMOOTHEST))
    boost = 1 / np.maximum(low + high, np.float32(1e-3)) - 1
    dielectric = (DIELECTRIC * low + high) * (1 + DIELECTRIC * boost)
    return Gloss(alpha, metalness, dielectric, boost)


def reflected(gloss: Gloss, eye: Array, light: Array) -> tuple[Array, Array, Array, Array]:
    """How much of the light from `light` goes to `eye`, unit vectors (3, n) in the frame of the surface, normal along
    z; and the probability, by solid angle, with which `reflected_way` finds that way.

    The first three are c0, c1 and c2 of c0 + c1·base + c2·base²: reflection times the cosine, for a base colour.
    """
    cosine = np.maximum(light[2], 0)
    half = normalised(eye + light)
    facing_half = np.clip(dot(eye, half), 0, 1)
    density, shadow_eye, shadow_both = _facets(gloss.alpha, eye[2], light[2], half[2])
    facets = np.where(cosine > 0, density * shadow_both / np.maximum(4 * eye[2], np.float32(1e-6)), 0)
    grazing = (1 - facing_half) ** 5
    metal = facets * gloss.metalness
    dielectric = DIELECTRIC + (1 - DIELECTRIC) * grazing
    above = facets * (1 - gloss.metalness) * dielectric * (1 + DIELECTRIC * gloss.boost)
    base = cosine / np.float32(np.pi) * (1 - gloss.metalness) * (1 - gloss.dielectric_albedo)
    found_glossy = density * shadow_eye / np.maximum(4 * eye[2], np.float32(1e-6))
    glossy = gloss.glossy_share
    found = glossy * found_glossy + (1 - glossy) * cosine / np.float32(np.pi)
    return (
        above + metal * grazing,
        base + metal * (1 - grazing + grazing * gloss.boost),
        metal * (1 - grazing) * gloss.boost,
        np.where(cosine > 0, found, 0),
    )


def reflected_way(gloss: Gloss, eye: Array, chance: Array) -> Array:
    """A way for light to come from, (3, n), drawn by three chances on 0–1, (3, n): as the facets or the base reflect.
    It may lie below the surface, where nothing comes from."""
    glossy = chance[2] < gloss.glossy_share
    half = _visible_facet(gloss.alpha, eye, chance)
    mirrored = 2 * dot(eye, half) * half - eye
    radius, turn = np.sqrt(chance[0]), np.float32(2 * np.pi) * chance[1]
    diffuse = np.stack([radius * np.cos(turn), radius * np.sin(turn), np.sqrt(np.maximum(1 - chance[0], 0))])
    return np.where(glossy, mirrored, diffuse)


def _facets(alpha: Array, eye: Array, light: Array, half: Array) -> tuple[Array, Array, Array]:
    """GGX density, and Smith's shadowing for the eye alone and for both (height-correlated), from cosines."""
    squared = alpha * alpha
    density = squared / (np.float32(np.pi) * (half * half * (squared - 1) + 1) ** 2)
    to_eye, to_light = _smith(squared, eye), _smith(squared, light)
    return density, 1 / (1 + to_eye), 1 / (1 + to_eye + to_light)


def _smith(squared: Array, cosine: Array) -> Array:
    flat = np.maximum(cosine * cosine, np.float32(1e-8))
    return np.asarray((np.sqrt(1 + squared * (1 - flat) / flat) - 1) / 2, np.float32)


def _visible_facet(alpha: Array, eye: Array, chance: Array) -> Array:
    stretched = normalised(np.stack([alpha * eye[0], alpha * eye[1], eye[2]]))
    length = stretched[0] ** 2 + stretched[1] ** 2
    inverse = 1 / np.sqrt(np.maximum(length, np.float32(1e-12)))
    upright = length < 1e-10
    across = np.stack(
        [np.where(upright, 1, -stretched[1] * inverse), np.where(upright, 0, stretched[0] * inverse), 0 * length]
    ).astype(np.float32)
    up = np.cross(stretched, across, axis=0)
    radius, turn = np.sqrt(chance[0]), np.float32(2 * np.pi) * chance[1]
    first = radius * np.cos(turn)
    second = radius * np.sin(turn)
    share = (1 + stretched[2]) / 2
    second = (1 - share) * np.sqrt(np.maximum(1 - first * first, 0)) + share * second
    third = np.sqrt(np.maximum(1 - first * first - second * second, 0))
    facet = first * across + second * up + third * stretched
    return normalised(np.stack([alpha * facet[0], alpha * facet[1], np.maximum(facet[2], np.float32(1e-6))]))


def _albedo(facing: Array, roughness: Array) -> tuple[Array, Array]:
    """What facets reflect in one bounce, F0 · first + second, as Schlick's Fresnel splits it; from the table."""
    table = albedo_table()
    row = np.clip(facing, 0, 1) * (TABLE_SIDE - 1)
    column = np.clip(roughness, 0, 1) * (TABLE_SIDE - 1)
    top, left = (np.minimum(place.astype(np.intp), TABLE_SIDE - 2) for place in (row, column))
    down, right = row - top, column - left
    corners = table.reshape(2, -1)
    start = top * TABLE_SIDE + left
    upper = corners[:, start] * (1 - right) + corners[:, start + 1] * right
    lower = corners[:, start + TABLE_SIDE] * (1 - right) + corners[:, start + TABLE_SIDE + 1] * right
    first, second = upper * (1 - down) + lower * down
    return first, second


@lru_cache(maxsize=1)
def albedo_table() -> Array:
    """Both parts of `_albedo` over cosine to the eye and roughness, shape (2, side, side), from a grid of visible
    facets. Called before threads need it, for it is made once."""
    places = np.linspace(0, 1, TABLE_SIDE, dtype=np.float32)
    steep, turns = ((np.arange(draws, dtype=np.float32) + np.float32(0.5)) / draws for draws in (32, 8))
    grid: list[Array] = [part.ravel() for part in np.meshgrid(places, places, steep, turns, indexing="ij")]
    cosine, roughness, steep, second = grid
    # Close steps near 1, the steepest facets: they send light below the surface, which is what is lost.
    first, density = 1 - (1 - steep) ** 3, 3 * (1 - steep) ** 2
    cosine = np.maximum(cosine, np.float32(1e-3))
    alpha = np.maximum(roughness, SMOOTHEST) ** 2
    eye = np.stack([np.sqrt(1 - cosine**2), np.zeros_like(cosine), cosine])
    half = _visible_facet(alpha, eye, np.stack([first, second]))
    facing_half = np.clip(dot(eye, half), 0, 1)
    light = 2 * facing_half * half - eye
    _, shadow_eye, shadow_both = _facets(alpha, eye[2], light[2], half[2])
    weight = np.where(light[2] > 0, shadow_both / shadow_eye, 0)
    grazing = (1 - facing_half) ** 5
    parts = density * np.stack([weight * (1 - grazing), weight * grazing])
    return np.asarray(parts.reshape(2, TABLE_SIDE, TABLE_SIDE, -1).mean(axis=3), np.float32)
