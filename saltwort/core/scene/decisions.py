"""What an artist has decided of a scene: its swatches, its lights, and what lies on the rig."""

from collections.abc import Sequence
from dataclasses import dataclass, field, replace

from saltwort.core.engine import ViewChoice
from saltwort.core.errors import BadInput
from saltwort.core.scene.reflectances import SURFACE, USES
from saltwort.core.spaces.typed import Triple, TypedColour

LIGHTS = ("environment", "key", "flame", "marker")
"""The lights of the rig; each has a layer of its own in a picture."""
SWATCH = "swatch:"
MOST_SWATCHES = 1000
LONGEST_NAME = 80
STRONGEST = 1e6
MOST_STOPS = 20.0


@dataclass(frozen=True)
class Appearance:
    """Where a colour must appear as given: through a view on a display, with the look where one is named. It is lit by
    neutral light of so many `stops`: at 0, a perfect white surface is 1 in the scene; a lamp is exposed by them."""

    display: str
    view: str
    look: str = ""
    stops: float = 0.0

    @property
    def choice(self) -> ViewChoice:
        return ViewChoice(self.display, self.view, self.look)


@dataclass(frozen=True)
class Swatch:
    """A colour as it was typed, under a name, and what it is for: one of `reflectances.USES`. With an appearance, the
    numbers are code values, 0–1, of its display, and name no space: what lies in the scene follows from them."""

    name: str
    colour: TypedColour
    use: str = SURFACE
    appears: Appearance | None = None


@dataclass(frozen=True)
class Light:
    """One of LIGHTS. Its colour is that of the named swatch, or `colour` where none is named; `intensity` is linear,
    `stops` the exposure on top. At 1 and 0 stops, a white card in the middle of the rig that faces it is as bright
    as 1; the environment is as bright as its file."""

    name: str
    colour: TypedColour
    swatch: str = ""
    intensity: float = 1.0
    stops: float = 0.0
    muted: bool = False

    @property
    def gain(self) -> float:
        """What its layer is multiplied by, without colour."""
        return 0.0 if self.muted else self.intensity * 2.0**self.stops


FIRST_LIGHTS = (
    Light("environment", TypedColour("", "xyY", "0.3127 0.329")),
    Light("key", TypedColour("", "daylight", "5600")),
    Light("flame", TypedColour("", "kelvin", "1900"), stops=-3.0),
    Light("marker", TypedColour("", "xyY", "0.23 0.66"), stops=-3.0),
)


@dataclass(frozen=True)
class Scene:
    """Swatches and lights, the name of the swatch on the rig's swatch ball (none: middle grey), and by slot what the
    rig is given there: the path of a texture, or SWATCH and the name of one."""

    swatches: tuple[Swatch, ...] = ()
    lights: tuple[Light, ...] = field(default=FIRST_LIGHTS)
    swatch_on_rig: str = ""
    inputs: tuple[tuple[str, str], ...] = ()

    @property
    def spaces(self) -> set[str]:
        """Colour spaces that its typed colours name."""
        colours = [*(swatch.colour for swatch in self.swatches), *map(self.colour_of, self.lights)]
        return {colour.space for colour in colours if colour.space}

    def swatch(self, name: str) -> Swatch | None:
        return next((swatch for swatch in self.swatches if swatch.name == name), None)

    @property
    def slot_swatches(self) -> dict[str, Swatch]:
        """The swatches that the rig is given, by slot; one that is gone leaves the rig's own colour."""
        named = {
            slot: self.swatch(given.removeprefix(SWATCH)) for slot, given in self.inputs if given.startswith(SWATCH)
        }
        return {slot: swatch for slot, swatch in named.items() if swatch}

    def colour_of(self, light: Light) -> TypedColour:
        """A light's colour; its own where its swatch is gone."""
        swatch = self.swatch(light.swatch)
        return swatch.colour if swatch else light.colour


def check_scene(scene: Scene) -> None:
    """Raise BadInput, saying what to do, for names, numbers or colours that cannot be."""
    names = [swatch.name for swatch in scene.swatches]
    if len(names) > MOST_SWATCHES:
        raise BadInput(f"A project holds up to {MOST_SWATCHES:,} swatches; here are {len(names):,}.")
    for swatch in scene.swatches:
        _check_name(swatch.name)
        if swatch.use not in USES:
            raise BadInput(f"{swatch.name}: a swatch is for one of {', '.join(USES)}.")
        try:
            values = swatch.colour.values
        except BadInput as error:
            raise BadInput(f"{swatch.name}: {error}") from error
        if swatch.appears:
            _check_appearance(swatch, swatch.appears, values)
    if twice := next((name for name in names if names.count(name) > 1), None):
        raise BadInput(f"There is a swatch “{twice}” already. Choose another name.", "name")
    if [light.name for light in scene.lights] != list(LIGHTS):
        raise BadInput(f"The rig has the lights {', '.join(LIGHTS)}.")
    for light in scene.lights:
        _check_light(light)


def _check_name(name: str) -> None:
    if not name.strip():
        raise BadInput("A swatch needs a name. Type one.", "name")
    if len(name) > LONGEST_NAME or not name.isprintable():
        raise BadInput(f"The name of a swatch has up to {LONGEST_NAME} letters that can be printed.", "name")


def _check_appearance(swatch: Swatch, appears: Appearance, values: Triple) -> None:
    if swatch.colour.is_colorimetric:
        raise BadInput(f"{swatch.name}: type the code values that the display shows, such as #c8102e or 200 16 46.")
    if not all(0 <= value <= 1 for value in values):
        raise BadInput(f"{swatch.name}: code values of a display lie from 0 to 1.")
    if not -MOST_STOPS <= appears.stops <= MOST_STOPS:  # not a number is refused as well
        raise BadInput(f"{swatch.name} can be lit by −{MOST_STOPS:.0f} to +{MOST_STOPS:.0f} stops.", "stops")


def _check_light(light: Light) -> None:
    try:
        _ = light.colour.values
    except BadInput as error:
        raise BadInput(f"{light.name}: {error}") from error
    if not 0 <= light.intensity <= STRONGEST:  # not a number is refused as well
        raise BadInput(f"The intensity of {light.name} lies from 0 to {STRONGEST:,.0f}.", "intensity")
    if not -MOST_STOPS <= light.stops <= MOST_STOPS:
        raise BadInput(f"{light.name} can be set from −{MOST_STOPS:.0f} to +{MOST_STOPS:.0f} stops.")


def with_swatch(scene: Scene, before: str, swatch: Swatch) -> Scene:
    """The scene with a swatch added, or put in the place of the one called `before`, and called so wherever it is
    used."""
    if not before:
        return replace(scene, swatches=(*scene.swatches, swatch))
    if scene.swatch(before) is None:
        raise BadInput(f"There is no swatch “{before}” any more. Reload the page.")

    def now(name: str) -> str:
        return swatch.name if name == before else name

    return replace(
        scene,
        swatches=tuple(swatch if kept.name == before else kept for kept in scene.swatches),
        lights=tuple(replace(light, swatch=now(light.swatch)) for light in scene.lights),
        swatch_on_rig=now(scene.swatch_on_rig),
        inputs=tuple(
            (slot, SWATCH + now(given.removeprefix(SWATCH)) if given.startswith(SWATCH) else given)
            for slot, given in scene.inputs
        ),
    )


def without_swatches(scene: Scene, names: Sequence[str], as_lit: Scene) -> Scene:
    """The scene without some swatches; lights that took their colour keep it, as it is in `as_lit`: the same scene, in
    which no swatch has an appearance."""
    return replace(
        scene,
        swatches=tuple(swatch for swatch in scene.swatches if swatch.name not in names),
        lights=tuple(
            replace(light, colour=as_lit.colour_of(light), swatch="") if light.swatch in names else light
            for light in scene.lights
        ),
        swatch_on_rig="" if scene.swatch_on_rig in names else scene.swatch_on_rig,
    )
