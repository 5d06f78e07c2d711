"""A project from a few answers: what is delivered, which picture, which working space, which applications. Every answer
may be left out; what follows from them is a setup like any other."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace

import PyOpenColorIO as ocio

from saltwort.core.configs.builtins import builtin_configs
from saltwort.core.configs.describe import working_spaces
from saltwort.core.configs.matching import encoding_of, spaces_with
from saltwort.core.deliverables.recipe import Recipe
from saltwort.core.engine import ViewChoice
from saltwort.core.errors import BadInput
from saltwort.core.project.parts.recipes import Recipes
from saltwort.core.project.setup import Setup, first_setup
from saltwort.core.spaces.curves import LINEAR, Curve
from saltwort.core.spaces.gamuts import AP1, REC709, REC2020
from saltwort.core.stations.kinds import KINDS
from saltwort.core.views import AddedView
from saltwort.core.views.screens import display_space

ACES_2, ACES_1, UNTONED = "aces-2", "aces-1", "un-tone-mapped"


@dataclass(frozen=True)
class Delivery:
    """Something that is delivered: the display it is made for, by the interop ID of its encoding (empty for light), and
    the recipes of its outputs."""

    key: str
    label: str
    does: str
    display: str
    recipes: tuple[Recipe, ...]


DELIVERIES = (
    Delivery(
        "web",
        "Web pictures",
        "sRGB stills, 8 bits",
        "srgb_rec709_display",
        (Recipe("Web still", "still", (("bits", "8"),)),),
    ),
    Delivery("tv", "TV video", "Rec.709 with a gamma of 2.4", "g24_rec709_display", (Recipe("TV video", "movie"),)),
    Delivery(
        "wide",
        "Wide-gamut stills",
        "Display P3 stills, 16 bits",
        "srgb_p3d65_display",
        (Recipe("Wide-gamut still", "still", (("bits", "16"),)),),
    ),
    Delivery(
        "hdr",
        "HDR master",
        "Rec.2100 PQ video (HDR10) and stills",
        "pq_rec2020_display",
        (
            Recipe("HDR master", "movie", (("codec", "hevc-hdr10"),)),
            Recipe("HDR still", "still", (("format", "avif"), ("bits", "10"))),
        ),
    ),
    Delivery(
        "light",
        "Scene-linear for the next department",
        "EXR in the working space, no view",
        "",
        (Recipe("Light", "light"),),
    ),
)


@dataclass(frozen=True)
class Picture:
    """A way from light to a picture, with one sentence on how it treats highlights and saturated lamps."""

    key: str
    label: str
    does: str


PICTURES = (
    Picture(
        "agx",
        "AgX",
        "Highlights roll off softly, and saturated lamps go to white as they get brighter: no flat patches.",
    ),
    Picture(
        "filmic",
        "Filmic",
        "A strong shoulder for a wide range of light; channels bend one by one, so bright lamps shift in hue.",
    ),
    Picture(
        ACES_2,
        "ACES 2",
        "Contrasty; hues hold while highlights lose saturation. The standard of many shows.",
    ),
    Picture(
        ACES_1,
        "ACES 1",
        "For matching older shows: more contrast, saturated lamps clip to flat patches. Needs a config of ACES 1.",
    ),
    Picture(
        UNTONED,
        "Un-tone-mapped",
        "No roll-off: light above 1 is cut off, saturated lamps clip. For flat graphics and for checking numbers.",
    ),
)


@dataclass(frozen=True)
class StartSpace:
    """A working space to choose: what it can hold, and what that costs."""

    key: str
    label: str
    does: str


SPACES = (
    StartSpace(
        "acescg",
        "ACEScg",
        "Holds every surface colour and nearly all lamps. Colours of sRGB tools are converted, which the config does.",
    ),
    StartSpace(
        "rec709",
        "Linear Rec.709",
        "The numbers of most sRGB tools. Saturated lamps and P3 colours do not fit: they turn negative or are cut.",
    ),
    StartSpace(
        "rec2020",
        "Linear Rec.2020",
        "Holds what HDR displays show. Few renderers have it built in, so each must follow the config.",
    ),
)
_GAMUTS = {"acescg": AP1, "rec709": REC709, "rec2020": REC2020}


@dataclass(frozen=True)
class Answers:
    """What was answered; whatever was not is what serves most. `base` is a base config as setups name it, empty for the
    newest that comes with the engine; applications are keys of the kinds of stations."""

    base: str = ""
    deliveries: tuple[str, ...] = ("web",)
    picture: str = "agx"
    space: str = "acescg"
    applications: tuple[str, ...] = ("texturing", "renderer", "compositor-nodes")


@dataclass(frozen=True)
class Started:
    """What follows from answers: the setup, the kinds of applications, and sentences on answers that could not be
    followed."""

    setup: Setup
    applications: tuple[str, ...]
    told: tuple[str, ...] = field(default=())


def check_answers(answers: Answers) -> None:
    """Raise BadInput for an answer that there is not."""
    for asked, known, what in (
        (answers.deliveries, [each.key for each in DELIVERIES], "delivery"),
        ((answers.picture,), [each.key for each in PICTURES], "picture"),
        ((answers.space,), [each.key for each in SPACES], "working space"),
        (answers.applications, [each.key for each in KINDS], "application"),
    ):
        if unknown := next((one for one in asked if one not in known), None):
            raise BadInput(f"There is no {what} “{unknown}”. Choose of {', '.join(known)}.")
    if len(answers.applications) > len(KINDS):
        raise BadInput(f"Choose up to {len(KINDS)} applications; others are added in Hand-offs.")


def aces_1_config() -> str:
    """The newest of the engine's configs with the views of ACES 1, by name."""
    return next(each.name for each in builtin_configs() if each.kind == "cg" and each.aces_version.startswith("1."))


def started(answers: Answers, base: str, config: ocio.Config) -> Started:
    """What follows from answers in a config. Raises BadInput for an answer that there is not."""
    check_answers(answers)
    setup, told = first_setup(base, config), []
    space = _space(config, answers.space)
    if space is None:
        told.append(f"The config has no {answers.space}, so {setup.working_space} stays the working space.")
    elif space != setup.working_space:
        rules = tuple(replace(rule, space=space) if rule.name == "EXR files" else rule for rule in setup.rules)
        setup = replace(setup, working_space=space, rules=rules)
    wanted = [each for each in DELIVERIES if each.key in answers.deliveries]
    made_for = {each.key: _display(config, each.display) for each in wanted if each.display}
    told += [
        f"The config has no display for {each.label}, so no recipe is made for it."
        for each in wanted
        if made_for.get(each.key, "") is None
    ]
    displays = list(dict.fromkeys(display for display in made_for.values() if display))
    first = displays[0] if displays else setup.view.display
    views, added, said = _views(config, answers.picture, displays or [first])
    setup = replace(setup, displays=tuple(displays), added_views=added, view=ViewChoice(first, views[first]))
    recipes = [recipe for each in wanted for recipe in _recipes(each, made_for.get(each.key), views)]
    return Started(Recipes.with_value(setup, tuple(recipes)), answers.applications, (*told, *said))


def _recipes(delivery: Delivery, display: str | None, views: Mapping[str, str]) -> tuple[Recipe, ...]:
    """The recipes of a delivery, through the view of its display; none where the config has no such display."""
    if not delivery.display:
        return delivery.recipes
    if not display:
        return ()
    through = (("display", display), ("view", views[display]))
    return tuple(replace(recipe, settings=(*recipe.settings, *through)) for recipe in delivery.recipes)


def _space(config: ocio.Config, key: str) -> str | None:
    found = spaces_with(config, _GAMUTS[key], Curve(LINEAR))
    return next((space for space in found if space in working_spaces(config)), None)


def start_spaces(config: ocio.Config) -> list[str]:
    """The working spaces to choose from that a config has, by its own names."""
    return [space for key in _GAMUTS if (space := _space(config, key)) is not None]


def _display(config: ocio.Config, interop_id: str) -> str | None:
    for display in config.getDisplaysAll():
        try:
            encoding = encoding_of(config, display_space(config, display))
        except BadInput:
            continue
        if encoding is not None and encoding.interop_id == interop_id:
            return str(display)
    return None


def _views(
    config: ocio.Config, picture: str, displays: Sequence[str]
) -> tuple[dict[str, str], tuple[AddedView, ...], list[str]]:
    """The view of each display, those that must be added for it, and what could not be followed."""
    label = next(each.label for each in PICTURES if each.key == picture)
    if picture in ("agx", "filmic"):
        return dict.fromkeys(displays, label), tuple(AddedView(each, label, picture) for each in displays), []
    views, added, told = {}, [], []
    for display in displays:
        there = list(config.getViews(display))
        found = next((view for view in there if view.lower().startswith(label.lower())), None)
        if found is None and picture == UNTONED:
            added.append(AddedView(display, label, UNTONED))
            found = label
        if found is None:
            told.append(f"The config has no {label} on {display}, so {there[0]} stands in.")
        views[display] = found or there[0]
    return views, tuple(added), told
