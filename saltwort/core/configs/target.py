"""Write a config for an older OCIO version: what that version has operations for stays exact, the rest is baked into
LUTs or left out; and each of these is told."""

from collections.abc import Iterator
from dataclasses import dataclass
from threading import Lock

import numpy as np
import PyOpenColorIO as ocio
from cachetools import LRUCache

from saltwort.core.configs.additions import FIRST_WITH_INTEROP_IDS
from saltwort.core.engine import ConfigArchive, load_config
from saltwort.core.engine.measured import reference_to_ap0
from saltwort.core.engine.processors import build
from saltwort.core.engine.transforms import (
    clamp_transform,
    log2_transform,
    matrix_transform,
    power_transform,
    transforms_within,
)
from saltwort.core.errors import BadInput
from saltwort.core.luts import Files, add_lut_folder, between_nodes, clf_file, cube_of, half_curve_of
from saltwort.core.numbers import MIDDLE_GREY
from saltwort.core.spaces.gamuts import AP0, AP1, Matrix, rgb_to_rgb

VERSIONS = ("2.0", "2.1", "2.2", "2.3", "2.4", "2.5", "2.6")
"""What a config can be written for, oldest first. OCIO 1 has no views as we know them, nor file rules."""

EXACT, BAKED, LEFT_OUT = "exact", "baked", "left out"

FIRST_WITH_DISPLAY_ALIASES = (2, 6)

CUBE_EDGE = 48
"""Nodes of a baked 3D LUT. The ACES renderings are then within about one ΔE of the original for ordinary colours."""
LOWEST_STOP, HIGHEST_STOP = -10.0, 11.0
"""What a baked view spans around middle grey, in stops; the brightest rendering, 4000 nits, reaches white below."""
NODE_POWER = 2.4
"""Light at the nodes of a baked view is stored to the power 1/NODE_POWER, so that steps between look alike."""

Version = tuple[int, int]


@dataclass(frozen=True)
class Replacement:
    """A part that the older version cannot hold. `fate`: exact, written with plain operations; baked, as a LUT, so
    about the same; or left out. `why` names what the version lacks."""

    what: str
    name: str
    fate: str
    why: str


@dataclass(frozen=True)
class Lowered:
    """A config written for a version, with all that had to be replaced."""

    archive: ConfigArchive
    replacements: tuple[Replacement, ...]


def lowered(archive: ConfigArchive, version: str) -> Lowered:
    """The config for an OCIO version, one of VERSIONS; as it is when it needs no more than that.

    Raises BadInput for a version there is not, or when nothing sensible would be left.
    """
    key = archive.hash, version
    with _lock:
        found = _lowered.get(key)
    if found is None:
        found = _written_for(archive, version)
        with _lock:
            _lowered[key] = found
    return found


_lowered: LRUCache[tuple[str, str], Lowered] = LRUCache(16)
"""The last ones: many applications of a chain load the same version, and baking takes seconds."""
_lock = Lock()


def _written_for(archive: ConfigArchive, version: str) -> Lowered:
    if version not in VERSIONS:
        raise BadInput(f"OCIO {version} cannot be written. Choose one of {', '.join(VERSIONS)}.")
    major, minor = map(int, version.split("."))
    config = load_config(archive)
    if (config.getMajorVersion(), config.getMinorVersion()) <= (major, minor):
        return Lowered(archive, ())
    lowering = _Lowering(config, load_config(archive), (major, minor))
    lowering.run()
    try:
        config.setVersion(major, minor)
        config.validate()
    except ocio.Exception as error:
        reason = " ".join(str(error).split())
        raise BadInput(
            f"OCIO {version} cannot hold this config even with its newer parts replaced: {reason}"
        ) from error
    files = {**archive.files, **lowering.files}
    return Lowered(ConfigArchive(config.serialize(), files), tuple(lowering.replacements))


class _Lowering:
    """Replaces parts of a config, which is changed, one by one; notes what became of each."""

    def __init__(self, config: ocio.Config, whole: ocio.Config, version: Version) -> None:
        """`whole` is the same config, which stays as it is: expansions need what the other may not hold any more."""
        self._config = config
        self._whole = whole
        self._version = version
        self._scratch = _scratch(version)
        self._baked_views: set[str] = set()
        self.files: Files = {}
        self.replacements: list[Replacement] = []

    def run(self) -> None:
        self._features()
        for transform in list(self._config.getViewTransforms()):
            self._view_transform(transform)
        for space in list(self._config.getColorSpaces(ocio.SEARCH_REFERENCE_SPACE_ALL, ocio.COLORSPACE_ALL)):
            self._space(space)
        for look in list(self._config.getLooks()):
            self._look(look)
        for named in list(self._config.getNamedTransforms()):
            self._named_transform(named)
        if self.files:
            add_lut_folder(self._config)

    def _features(self) -> None:
        """What is no transform: interop IDs, aliases of displays."""
        config = self._config
        if self._version < FIRST_WITH_INTEROP_IDS and (count := self._without_interop_ids()):
            why = "OCIO 2.5 brought them. Headers of files no longer tell their space to this config."
            self._note("interop IDs", f"of {count} spaces", LEFT_OUT, why)
        if self._version < FIRST_WITH_DISPLAY_ALIASES and config.getUseDisplayAliases():
            config.setUseDisplayAliases(False)
            why = "OCIO 2.6 brought them. Displays are then known by their own names only."
            self._note("aliases", "of displays", LEFT_OUT, why)

    def _without_interop_ids(self) -> int:
        """Take interop IDs and the attributes beside them off everything; count the spaces that had an ID."""
        config, count = self._config, 0
        for space in list(config.getColorSpaces(ocio.SEARCH_REFERENCE_SPACE_ALL, ocio.COLORSPACE_ALL)):
            count += bool(space.getInteropID())
            space.setInteropID("")
            _clear_attributes(space)
            config.addColorSpace(space)
        for transform in list(config.getViewTransforms()):
            _clear_attributes(transform)
            config.addViewTransform(transform)
        for look in list(config.getLooks()):
            _clear_attributes(look)
            config.addLook(look)
        return count

    def _space(self, space: ocio.ColorSpace) -> None:
        name = space.getName()
        if self._undoes_baked_view(space):
            self._bake_inverse(space)
            return
        fate, lacking = self._replaced(space, (ocio.COLORSPACE_DIR_TO_REFERENCE, ocio.COLORSPACE_DIR_FROM_REFERENCE))
        if fate == LEFT_OUT:
            self._remove_space(name, lacking)
        elif lacking:
            self._config.addColorSpace(space)
            self._note("space", name, fate, lacking)

    def _undoes_baked_view(self, space: ocio.ColorSpace) -> bool:
        """Whether a space decodes by undoing a view of which only a LUT is left, which nobody can undo well."""
        parts = transforms_within(space.getTransform(ocio.COLORSPACE_DIR_TO_REFERENCE))
        return any(
            isinstance(part, ocio.DisplayViewTransform)
            and self._whole.getDisplayViewTransformName(part.getDisplay(), part.getView()) in self._baked_views
            for part in parts
        )

    def _bake_inverse(self, space: ocio.ColorSpace) -> None:
        """Have a space that undoes a view decode by a LUT of the exact inverse, and encode through the view itself."""
        undone = space.getTransform(ocio.COLORSPACE_DIR_TO_REFERENCE)
        to_ap1 = rgb_to_rgb(AP0, AP1) @ reference_to_ap0(self._whole)
        exact = build(self._whole, ocio.GroupTransform([undone, *_into_log(to_ap1)])).getDefaultCPUProcessor()
        cube = cube_of(exact, CUBE_EDGE)
        baked = [clamp_transform(), cube, *_out_of_log(to_ap1)]
        off = _how_far(exact, cube)
        space.setTransform(
            self._file("undone", ocio.GroupTransform(baked), ocio.INTERP_TETRAHEDRAL), ocio.COLORSPACE_DIR_TO_REFERENCE
        )
        encoded = ocio.GroupTransform([undone], ocio.TRANSFORM_DIR_INVERSE)
        space.setTransform(encoded, ocio.COLORSPACE_DIR_FROM_REFERENCE)
        self._config.addColorSpace(space)
        self._note(
            "space",
            space.getName(),
            BAKED,
            "The view that it undoes is baked, so its exact inverse is too. Half of its colours come within "
            f"{off[0]:.2%}, nine of ten within {off[1]:.1%}; the worst, where the display ends, is {off[2]:.0%} off.",
        )

    def _replaced(
        self, thing: ocio.ColorSpace | ocio.NamedTransform, directions: tuple[object, object]
    ) -> tuple[str, str]:
        """Replace what a thing's transforms lack, either way; the worst fate of the two, and what was lacking."""
        fates, lacking = [EXACT], ""
        for direction in directions:
            transform = thing.getTransform(direction)
            if why := self._lacking(transform):
                held, fate = self._held(transform)
                thing.setTransform(held, direction)
                fates.append(fate)
                lacking = why
        return next(fate for fate in (LEFT_OUT, BAKED, EXACT) if fate in fates), lacking

    def _remove_space(self, name: str, lacking: str) -> None:
        roles = [role for role, space in self._config.getRoles() if self._config.getColorSpace(space).getName() == name]
        if roles:
            raise BadInput(
                f"“{name}” needs {lacking}, and is the space of the role {roles[0]}. Set the role to another space."
            )
        self._config.removeColorSpace(name)
        self._note("space", name, LEFT_OUT, lacking)

    def _view_transform(self, transform: ocio.ViewTransform) -> None:
        shown = transform.getTransform(ocio.VIEWTRANSFORM_DIR_FROM_REFERENCE)
        back = transform.getTransform(ocio.VIEWTRANSFORM_DIR_TO_REFERENCE)
        lacking = self._lacking(shown) or self._lacking(back)
        if not lacking:
            return
        held, fate = self._held(shown) if self._lacking(shown) else (shown, EXACT)
        back_held, back_fate = self._held(back) if self._lacking(back) else (back, EXACT)
        if fate != EXACT or back_fate != EXACT:
            held, back_held, fate = self._baked_view(transform), None, BAKED
            self._baked_views.add(transform.getName())
        for made, direction in (
            (held, ocio.VIEWTRANSFORM_DIR_FROM_REFERENCE),
            (back_held, ocio.VIEWTRANSFORM_DIR_TO_REFERENCE),
        ):
            transform.setTransform(made, direction)
        self._config.addViewTransform(transform)
        self._note("view transform", transform.getName(), fate, lacking)

    def _look(self, look: ocio.Look) -> None:
        forward, inverse = look.getTransform(), look.getInverseTransform()
        lacking = self._lacking(forward) or self._lacking(inverse)
        if not lacking:
            return
        held, fate = self._held(forward)
        back, back_fate = self._held(inverse)
        name = look.getName()
        if LEFT_OUT in (fate, back_fate):
            self._without_look(name)
            self._note("look", name, LEFT_OUT, lacking)
            return
        look.setTransform(held)
        if back is not None:
            look.setInverseTransform(back)
        self._config.addLook(look)
        self._note("look", name, BAKED if BAKED in (fate, back_fate) else EXACT, lacking)

    def _without_look(self, name: str) -> None:
        kept = [look for look in self._config.getLooks() if look.getName() != name]
        self._config.clearLooks()
        for look in kept:
            self._config.addLook(look)
        for display in list(self._config.getDisplaysAll()):
            for view in list(self._config.getViews(ocio.VIEW_DISPLAY_DEFINED, display)):
                if name in self._config.getDisplayViewLooks(display, view):
                    self._config.removeDisplayView(display, view)
                    self._note("view", f"{view} on {display}", LEFT_OUT, f"the look “{name}”")

    def _named_transform(self, named: ocio.NamedTransform) -> None:
        fate, lacking = self._replaced(named, (ocio.TRANSFORM_DIR_FORWARD, ocio.TRANSFORM_DIR_INVERSE))
        if not lacking:
            return
        if fate == LEFT_OUT:
            kept = [other for other in self._config.getNamedTransforms() if other.getName() != named.getName()]
            self._config.clearNamedTransforms()
            for other in kept:
                self._config.addNamedTransform(other)
        else:
            self._config.addNamedTransform(named)
        self._note("named transform", named.getName(), fate, lacking)

    def _held(self, transform: ocio.Transform | None) -> tuple[ocio.Transform | None, str]:
        """The transform with what the version has, and what that made of it."""
        if transform is None or not self._lacking(transform):
            return transform, EXACT
        made, fate = ocio.GroupTransform(), EXACT
        for part in transforms_within(transform):
            for step in [part] if self._holds(part) else self._expanded(part):
                if isinstance(step, ocio.Lut1DTransform | ocio.Lut3DTransform):
                    made.appendTransform(self._file("table", ocio.GroupTransform([step]), ocio.INTERP_BEST))
                elif self._holds(step):
                    made.appendTransform(step)
                elif _is_curve(step):
                    made.appendTransform(self._baked_curve(step))
                    fate = BAKED
                else:
                    return None, LEFT_OUT
        return made, fate

    def _lacking(self, transform: ocio.Transform | None) -> str:
        """What of a transform the version does not have, by name; empty where it has all."""
        return next((_called(part) for part in transforms_within(transform) if not self._holds(part)), "")

    def _holds(self, transform: ocio.Transform) -> bool:
        if isinstance(transform, _REFERENCES):
            return True  # in every version; what they refer to is looked at for itself
        space = ocio.ColorSpace(ocio.REFERENCE_SPACE_SCENE, "tried", toReference=transform)
        self._scratch.addColorSpace(space)
        try:
            self._scratch.validate()
        except ocio.Exception:
            return False
        finally:
            self._scratch.removeColorSpace("tried")
        return True

    def _expanded(self, transform: ocio.Transform) -> Iterator[ocio.Transform]:
        """The plain operations that a built-in transform is made of."""
        return transforms_within(build(self._whole, transform).createGroupTransform())

    def _baked_curve(self, transform: ocio.Transform) -> ocio.FileTransform:
        """A transform of each channel by itself, as a LUT with a value for every half float."""
        lut = half_curve_of(build(self._whole, transform).getDefaultCPUProcessor())
        return self._file("curve", ocio.GroupTransform([lut]), ocio.INTERP_LINEAR)

    def _baked_view(self, transform: ocio.ViewTransform) -> ocio.FileTransform:
        """A view transform as a 3D LUT on log light in AP1, from the scene reference to the display reference."""
        shown = transform.getTransform(ocio.VIEWTRANSFORM_DIR_FROM_REFERENCE)
        to_ap1 = rgb_to_rgb(AP0, AP1) @ reference_to_ap0(self._whole)
        whole = ocio.GroupTransform(
            [*_out_of_log(to_ap1), *([shown] if shown else []), power_transform(1 / NODE_POWER)]
        )
        cube = cube_of(build(self._whole, whole).getDefaultCPUProcessor(), CUBE_EDGE)
        baked = [*_into_log(to_ap1), cube, power_transform(NODE_POWER)]
        return self._file("view", ocio.GroupTransform(baked), ocio.INTERP_TETRAHEDRAL)

    def _file(self, name: str, group: ocio.GroupTransform, interpolation: ocio.Interpolation) -> ocio.FileTransform:
        transform, files = clf_file(name, group, self._whole, interpolation)
        self.files |= files
        return transform

    def _note(self, what: str, name: str, fate: str, why: str) -> None:
        self.replacements.append(Replacement(what, name, fate, why))


def _how_far(exact: ocio.CPUProcessor, cube: ocio.Lut3DTransform) -> tuple[float, float, float]:
    """How far a LUT of places in the log range is from what it was made of, between its nodes: the median, nine
    tenths, and the worst, each as a part of the light."""
    stops = between_nodes(exact, cube) * (HIGHEST_STOP - LOWEST_STOP)
    off = np.abs(2.0**stops - 1).max(axis=1)
    return float(np.median(off)), float(np.quantile(off, 0.9)), float(off.max())


_REFERENCES = (ocio.FileTransform, ocio.ColorSpaceTransform, ocio.LookTransform, ocio.DisplayViewTransform)


def _scratch(version: Version) -> ocio.Config:
    """An empty config of a version, in which transforms are tried."""
    config = ocio.Config.CreateRaw()
    config.setVersion(*version)
    raw = config.getColorSpaces()[0].getName()
    for role in ("scene_linear", "compositing_log", "color_timing", "aces_interchange"):
        config.setRole(role, raw)
    return config


def _clear_attributes(thing: ocio.ColorSpace | ocio.ViewTransform | ocio.Look) -> None:
    for name in list(thing.getInterchangeAttributes()):
        thing.setInterchangeAttribute(name, "")


def _is_curve(transform: ocio.Transform) -> bool:
    curves = (
        ocio.FIXED_FUNCTION_LIN_TO_PQ,
        ocio.FIXED_FUNCTION_LIN_TO_GAMMA_LOG,
        ocio.FIXED_FUNCTION_LIN_TO_DOUBLE_LOG,
    )
    return isinstance(transform, ocio.FixedFunctionTransform) and transform.getStyle() in curves


def _called(transform: ocio.Transform) -> str:
    if isinstance(transform, ocio.BuiltinTransform):
        return str(transform.getStyle())
    return type(transform).__name__.removesuffix("Transform")


def _into_log(to_ap1: Matrix) -> list[ocio.Transform]:
    """From the scene reference to a place in the log range of a baked view, clamped."""
    log = log2_transform(LOWEST_STOP, HIGHEST_STOP, MIDDLE_GREY)
    return [matrix_transform(to_ap1), log, clamp_transform()]


def _out_of_log(to_ap1: Matrix) -> list[ocio.Transform]:
    """From a place in the log range back to the scene reference."""
    steps = [log2_transform(LOWEST_STOP, HIGHEST_STOP, MIDDLE_GREY), matrix_transform(to_ap1)]
    for step in steps:
        step.setDirection(ocio.TRANSFORM_DIR_INVERSE)
    return steps
