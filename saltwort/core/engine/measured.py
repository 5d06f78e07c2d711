"""What a config's spaces are, found by pushing colours through the engine."""

import numpy as np
import PyOpenColorIO as ocio

from saltwort.core.engine.applying import apply_to_colour
from saltwort.core.engine.processors import ViewChoice, space_processor
from saltwort.core.errors import BadInput
from saltwort.core.spaces.gamuts import AP0, D65, Matrix, adaptation, rgb_to_xyz

UNITS = ((1.0, 0.0, 0.0), (0.0, 1.0, 0.0), (0.0, 0.0, 1.0))
SCENE_INTERCHANGE, DISPLAY_INTERCHANGE = "aces_interchange", "cie_xyz_d65_interchange"

EVENLY_SCALED = 0.9
"""How unlike the scales of three primaries may be: HLG dims a primary by its luminance to the power 0.2, blue most."""

AP0_TO_XYZ_D65: Matrix = adaptation(AP0.white, D65) @ rgb_to_xyz(AP0)


def linear_to_ap0(config: ocio.Config, space: str) -> Matrix | None:
    """3×3 matrix from a linear scene-referred space to AP0, or None when the space is not linear or the config has no
    interchange role to tell by."""
    try:
        processor = space_processor(config, space, SCENE_INTERCHANGE)
    except BadInput:
        return None
    matrix = np.array([apply_to_colour(processor, unit) for unit in UNITS]).T
    mixed = np.array([0.25, 0.5, 4.0])
    if not np.allclose(apply_to_colour(processor, (0.25, 0.5, 4.0)), matrix @ mixed, atol=1e-3):
        return None
    return matrix


def reference_to_ap0(config: ocio.Config) -> Matrix:
    """3×3 matrix from the config's scene reference space to AP0. Raises BadInput without an interchange role."""
    probe = ocio.Config.CreateFromStream(config.serialize())  # never asked for a LUT, so it needs no archive
    name = "reference space itself"
    probe.addColorSpace(ocio.ColorSpace(ocio.REFERENCE_SPACE_SCENE, name))
    matrix = linear_to_ap0(probe, name)
    if matrix is None:
        raise BadInput(f"The config has no role {SCENE_INTERCHANGE}, so nobody can tell what its numbers mean.")
    return matrix


def space_written_by(config: ocio.Config, choice: ViewChoice) -> ocio.ColorSpace | None:
    """The space that a view's numbers are in; None where the config has no such view, or not its space."""
    return config.getColorSpace(config.getResolvedDisplayViewColorSpaceName(choice.display, choice.view))


def space_of_view(config: ocio.Config, choice: ViewChoice) -> str | None:
    """The display-referred space that a view's numbers are in; None where they are no light of a display, or where the
    config has no display interchange role to tell by."""
    space = space_written_by(config, choice)
    if space is None or not config.hasRole(DISPLAY_INTERCHANGE):
        return None
    name: str = space.getName()
    return name if space.getReferenceSpaceType() == ocio.REFERENCE_SPACE_DISPLAY else None


def colours_of_view(config: ocio.Config, choice: ViewChoice) -> str:
    """The same space. Raises BadInput where there is none."""
    space = space_of_view(config, choice)
    if space is None:
        raise BadInput(
            f"“{choice.view}” on {choice.display} does not output the colours of a display. Choose another view."
        )
    return space


def display_to_xyz(config: ocio.Config, space: str) -> Matrix:
    """3×3 matrix from linear light in a display's primaries to CIE XYZ under D65, white at Y = 1.

    The columns are what the display makes of full red, green and blue; where these do not add up to white, since light
    of one depends on the others as in HLG (ITU-R BT.2100-2, table 5), they have its colours, scaled so that they do.
    Raises BadInput when the space is not display-referred, when the config has no display interchange role, or when no
    three lights of these colours make white.
    """
    processor = space_processor(config, space, DISPLAY_INTERCHANGE)
    columns = np.array([apply_to_colour(processor, unit) for unit in UNITS]).T
    white = np.array(apply_to_colour(processor, (1.0, 1.0, 1.0)))
    told = BadInput(f"“{space}” does not add up red, green and blue to white, so its primaries cannot be told.")
    if white[1] <= 0 or not np.isfinite(columns).all():
        raise told
    if not np.allclose(columns.sum(axis=1), white, rtol=2e-3):
        try:
            shares = np.linalg.solve(columns, white)
        except np.linalg.LinAlgError:
            raise told from None
        if shares.min() <= 0 or np.ptp(shares) > EVENLY_SCALED * shares.max():
            raise told
        columns = columns * shares
    return np.asarray(columns / white[1], np.float64)
