"""An ICC profile of a space, or of a view, so that an application that knows profiles alone shows a picture right."""

import io
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
import PyOpenColorIO as ocio
from numpy.typing import NDArray
from PIL import Image, ImageCms

from saltwort.core.configs.matching import encoding_of, primaries_of_space
from saltwort.core.deliverables.foreseen import HEADERS, Foreseen, Subject
from saltwort.core.deliverables.options import DISPLAY, LOOK, SPACE, VIEW, option
from saltwort.core.deliverables.registry import NOTHING, Defaults, Deliverable, Progress, deliverable
from saltwort.core.deliverables.shown import Doubt, Source
from saltwort.core.deliverables.told import Facts
from saltwort.core.engine import ViewChoice, apply, space_processor, view_processor
from saltwort.core.engine.displays import HDR, NO_LIGHT, display_kind
from saltwort.core.engine.measured import DISPLAY_INTERCHANGE, SCENE_INTERCHANGE
from saltwort.core.engine.processors import check_view, is_linear, known_space
from saltwort.core.errors import BadInput
from saltwort.core.files import replacing
from saltwort.core.luts.sampling import cube_nodes
from saltwort.core.names import slug
from saltwort.core.spaces import curves
from saltwort.core.spaces.curves import Curve
from saltwort.core.spaces.difference import colour_science
from saltwort.core.spaces.gamuts import AP0, D65, Gamut, adaptation, rgb_to_xyz
from saltwort.core.spaces.icc import D50, V2, V4, lut_profile, matrix_profile
from saltwort.core.views.tone import display_xyz

Array = NDArray[np.float64]
OF_SPACE, OF_VIEW = "space", "view"
EDGE = 33
MEASURED = 100_000
NOTICED = 1.0
"""ΔE 2000 in the mean, of which 8-bit CIELAB makes 0.3 by itself."""


@dataclass(frozen=True)
class IccSettings:
    of: str = option(OF_SPACE, "Profile of", choices={OF_SPACE: "a space", OF_VIEW: "a view"})
    space: str = option("", "Space", kind=SPACE, use="The space of the numbers in the picture.")
    display: str = option("", "Display", kind=DISPLAY, only={"of": (OF_VIEW,)})
    view: str = option("", "View", kind=VIEW, only={"of": (OF_VIEW,)})
    look: str = option("", "Look", kind=LOOK, only={"of": (OF_VIEW,)})
    version: str = option("4", "Version", choices={"4": "4, for readers of today", "2": "2, for old readers"})

    @property
    def choice(self) -> ViewChoice:
        return ViewChoice(self.display, self.view, self.look)


@dataclass(frozen=True)
class WrittenProfile:
    """A profile as LittleCMS read it. Errors are ΔE 2000 over `colours` colours that 8-bit CIELAB holds, to the space
    or view itself; this coding alone makes a mean of about 0.3."""

    bytes: int
    version: str
    profile: str
    description: str
    colours: int
    mean: float
    p99: float
    largest: float


@deliverable
class Icc(Deliverable[IccSettings]):
    kind = "icc"
    label = "ICC profile"
    use = "Of a space, linear ones too, or of a view, for an image editor that follows profiles."
    takes = NOTHING
    verifies = True
    settings = IccSettings

    def defaults(self, chosen: Defaults) -> dict[str, Any]:
        return {**vars(chosen.view), "space": chosen.working_space}

    def settings_from(self, asked: Mapping[str, Any], chosen: Defaults) -> IccSettings:
        """A view that is asked for by name means a profile of it."""
        meant = {"of": OF_VIEW} if {"display", "view"} & asked.keys() and "of" not in asked else {}
        return super().settings_from({**meant, **asked}, chosen)

    def plan(self, config: ocio.Config, settings: IccSettings) -> None:
        space = known_space(config, settings.space)
        if config.getColorSpace(space).isData():
            raise BadInput(f"{settings.space} is data, which no profile describes.", "space")
        if settings.of == OF_SPACE:
            _matrix_of(config, settings)
            return
        check_view(config, settings.choice)
        kind = display_kind(config, settings.choice)
        if kind in (NO_LIGHT, HDR):
            raise BadInput(
                f"“{settings.view}” on {settings.display} is {'HDR' if kind == HDR else 'no light of a display'}, "
                "which no profile of this sort holds. Choose an SDR view.",
                "view",
            )
        if is_linear(config, space):
            raise BadInput(
                f"{settings.space} is light, which a table over 0–1 does not hold. Choose a logarithmic space, such as "
                "ACEScct, for the picture.",
                "space",
            )

    def named(self, stem: str, revision: int, settings: IccSettings) -> str:
        shown = f"_{slug(settings.view)}" if settings.of == OF_VIEW else ""
        return f"{slug(settings.space)}{shown}_v{settings.version}_r{revision}.icc"

    def facts(self, config: ocio.Config, settings: IccSettings) -> Facts:
        return {
            "of": settings.space if settings.of == OF_SPACE else f"{settings.view} on {settings.display}",
            "numbers are": settings.space,
            "version": settings.version,
        }

    def foresee(self, config: ocio.Config, settings: IccSettings, subject: Subject | None) -> Foreseen:
        if settings.of == OF_SPACE:
            return Foreseen(HEADERS)
        return Foreseen(
            EDGE**3 * 6 + HEADERS, ("What is brighter than 1 is clipped; its error is measured once it is made.",)
        )

    def make(
        self, config: ocio.Config, sources: Sequence[Source], settings: IccSettings, target: Path, progress: Progress
    ) -> WrittenProfile:
        progress(0.0, "Sampling")
        content, form = _made(config, settings)
        with replacing(target) as temporary:
            temporary.write_bytes(content)
        progress(0.5, "Reading it with another library")
        return _read_again(config, target, form, settings)

    def doubts(
        self, config: ocio.Config, settings: IccSettings, says: Mapping[str, Any], file: Path
    ) -> Iterator[Doubt]:
        if not str(says.get("version", "")).startswith(settings.version):
            yield Doubt("other-version", f"The recipe makes version {settings.version}; this is {says.get('version')}.")
        found = _read_again(config, file, "", settings)
        if found.mean > NOTICED:
            yield Doubt(
                "other-colours", f"Its colours are ΔE 2000 {found.mean:.1f} from those of the recipe in the mean."
            )

    def told(self, written: Mapping[str, Any]) -> Facts:
        error = f"mean {written['mean']:.2f}, 99 % below {written['p99']:.2f}, largest {written['largest']:.2f}"
        return {
            "profile": f"{written['profile']}, version {written['version']}",
            "called": written["description"],
            "error in ΔE 2000": f"{error}, measured in 8 bits",
            "read back by": "LittleCMS",
        }


def _matrix_of(config: ocio.Config, settings: IccSettings) -> tuple[Gamut, Curve]:
    """Primaries and curve of a space. Raises BadInput for one that is not of these two."""
    if encoding := encoding_of(config, settings.space):
        if encoding.curve.kind in (curves.PQ, curves.HLG):
            raise BadInput(f"{settings.space} is HDR. Tag its pictures with code points instead of a profile.", "space")
        return encoding.gamut, encoding.curve
    if gamut := primaries_of_space(config, settings.space):
        return gamut, Curve(curves.LINEAR)
    raise BadInput(
        f"{settings.space} is not primaries and a curve of a known kind, so no matrix profile describes it. Make a "
        "profile of a view, or a LUT.",
        "space",
    )


def _made(config: ocio.Config, settings: IccSettings) -> tuple[bytes, str]:
    """The profile, and what form it has."""
    version = V4 if settings.version == "4" else V2
    if settings.of == OF_SPACE:
        gamut, curve = _matrix_of(config, settings)
        encoding = encoding_of(config, settings.space)
        points = encoding.code_points if encoding else None
        return matrix_profile(settings.space, gamut, curve, version, points), "matrix and curve"
    lab = _meant(config, settings, cube_nodes(EDGE).reshape(-1, 3)).reshape(EDGE, EDGE, EDGE, 3)
    return lut_profile(f"{settings.view} on {settings.display}", lab, version), f"table of {EDGE}³"


def _meant(config: ocio.Config, settings: IccSettings, codes: Array) -> Array:
    """CIELAB under D50 that codes of the picture stand for."""
    if settings.of == OF_VIEW:
        shown = apply(view_processor(config, settings.space, settings.choice), codes.astype(np.float32)[None])[0]
        xyz = display_xyz(config, settings.choice, np.clip(np.nan_to_num(shown), 0, 1).astype(np.float64))
        return _lab(xyz @ adaptation(D65, D50).T)
    space = known_space(config, settings.space)
    asked = codes.astype(np.float32)[None]
    if config.getColorSpace(space).getReferenceSpaceType() == ocio.REFERENCE_SPACE_DISPLAY:
        light = apply(space_processor(config, space, DISPLAY_INTERCHANGE), asked)[0]
        return _lab(light.astype(np.float64) @ adaptation(D65, D50).T)
    light = apply(space_processor(config, space, SCENE_INTERCHANGE), asked)[0]
    return _lab(light.astype(np.float64) @ (adaptation(AP0.white, D50) @ rgb_to_xyz(AP0)).T)


def _lab(xyz: Array) -> Array:
    return np.asarray(colour_science().XYZ_to_Lab(np.maximum(xyz, 0), D50), np.float64)


def _read_again(config: ocio.Config, target: Path, form: str, settings: IccSettings) -> WrittenProfile:
    content = target.read_bytes()
    try:
        profile = ImageCms.ImageCmsProfile(io.BytesIO(content))
        to_lab = ImageCms.buildTransform(
            profile,
            ImageCms.createProfile("LAB", 5000),
            "RGB",
            "LAB",
            ImageCms.Intent.RELATIVE_COLORIMETRIC,
            ImageCms.Flags.HIGHRESPRECALC,
        )
    except (ImageCms.PyCMSError, OSError) as error:
        raise BadInput(f"The profile was written, but LittleCMS cannot read it: {error}") from error
    steps = np.random.default_rng(3).integers(0, 256, (100, MEASURED // 100, 3), np.uint8)
    picture = ImageCms.applyTransform(Image.fromarray(steps), to_lab)
    coded = np.asarray(picture).reshape(-1, 3)
    read = np.stack([coded[:, 0] / 2.55, *coded[:, 1:].view(np.int8).T.astype(np.float64)], axis=-1)
    meant = _meant(config, settings, steps.reshape(-1, 3) / 255)
    held = ((meant >= (0, -127, -127)) & (meant <= (100, 126, 126))).all(axis=1)
    far = np.asarray(colour_science().delta_E(read[held], meant[held], method="CIE 2000"))
    return WrittenProfile(
        bytes=len(content),
        version=settings.version,
        profile=form,
        description=ImageCms.getProfileDescription(profile).strip(),
        colours=len(far),
        mean=float(far.mean()),
        p99=float(np.percentile(far, 99)),
        largest=float(far.max()),
    )
