"""What a config holds, in plain values."""

from collections.abc import Iterator
from dataclasses import dataclass
from weakref import WeakKeyDictionary

import PyOpenColorIO as ocio

from saltwort.core.engine import ViewChoice
from saltwort.core.engine.processors import is_linear, scene_spaces
from saltwort.core.errors import BadInput

# What each role is read for. Roles of other names are listed without.
ROLE_USES = {
    "scene_linear": "rendering and compositing: the working space",
    "rendering": "rendering, where a renderer has a role of its own",
    "reference": "the space all others are defined against (OCIO 1)",
    "aces_interchange": "matching scene-referred spaces between configs",
    "cie_xyz_d65_interchange": "matching display-referred spaces between configs",
    "color_picking": "colour pickers",
    "color_timing": "grading tools",
    "compositing_log": "compositing operations that want log",
    "data": "maps that are not colour",
    "matte_paint": "matte painting",
    "texture_paint": "painting textures",
    "default": "files that nothing else names (OCIO 1)",
}


@dataclass(frozen=True)
class SpaceInfo:
    name: str
    aliases: tuple[str, ...]
    family: str
    encoding: str
    categories: tuple[str, ...]
    interop_id: str
    description: str
    is_data: bool
    reference: str
    """`scene` or `display`."""


@dataclass(frozen=True)
class RoleInfo:
    name: str
    space: str
    use: str


@dataclass(frozen=True)
class DisplayInfo:
    name: str
    views: tuple[str, ...]


@dataclass(frozen=True)
class ViewInfo:
    """A view on a display: by which view transform, to which space, with which looks, offered by which viewing rule."""

    display: str
    view: str
    transform: str
    space: str
    looks: str
    rule: str
    description: str


@dataclass(frozen=True)
class LookInfo:
    name: str
    process_space: str
    description: str


@dataclass(frozen=True)
class NamedTransformInfo:
    name: str
    aliases: tuple[str, ...]
    family: str
    encoding: str
    description: str


@dataclass(frozen=True)
class FileRuleInfo:
    """A file rule: what it matches, in the config's own notation, and the space it gives."""

    name: str
    matches: str
    space: str


@dataclass(frozen=True)
class ViewingRuleInfo:
    """Which pictures a view with this rule is for: those in some spaces, or of some encodings."""

    name: str
    spaces: tuple[str, ...]
    encodings: tuple[str, ...]


@dataclass(frozen=True)
class VariableInfo:
    """A context variable with its default."""

    name: str
    default: str


@dataclass(frozen=True)
class ConfigDescription:
    """A config as its lists. Spaces are the active ones, scene-referred first; displays and views those on offer, and
    under `all_…` every one that could be."""

    name: str
    description: str
    version: str
    spaces: tuple[SpaceInfo, ...]
    roles: tuple[RoleInfo, ...]
    displays: tuple[DisplayInfo, ...]
    views: tuple[ViewInfo, ...]
    all_displays: tuple[str, ...]
    all_views: tuple[str, ...]
    looks: tuple[LookInfo, ...]
    named_transforms: tuple[NamedTransformInfo, ...]
    file_rules: tuple[FileRuleInfo, ...]
    viewing_rules: tuple[ViewingRuleInfo, ...]
    variables: tuple[VariableInfo, ...]
    search_path: tuple[str, ...]
    working_spaces: tuple[str, ...]


_described: WeakKeyDictionary[ocio.Config, ConfigDescription] = WeakKeyDictionary()


def describe(config: ocio.Config) -> ConfigDescription:
    """The lists that a screen or a settings sheet shows. The config must not be changed any more: what was found once
    is given again."""
    if config not in _described:
        _described[config] = _describe(config)
    return _described[config]


def _describe(config: ocio.Config) -> ConfigDescription:
    spaces = config.getColorSpaces(ocio.SEARCH_REFERENCE_SPACE_ALL, ocio.COLORSPACE_ACTIVE)
    described = [_space_info(space) for space in spaces]
    return ConfigDescription(
        name=config.getName(),
        description=config.getDescription(),
        version=f"{config.getMajorVersion()}.{config.getMinorVersion()}",
        spaces=tuple(sorted(described, key=lambda info: info.reference == "display")),
        roles=tuple(
            RoleInfo(name, config.getColorSpace(name).getName(), ROLE_USES.get(name, ""))
            for name, _ in config.getRoles()
        ),
        displays=tuple(DisplayInfo(name, tuple(config.getViews(name))) for name in config.getDisplays()),
        views=tuple(
            _view_info(config, display, view) for display in config.getDisplays() for view in config.getViews(display)
        ),
        all_displays=tuple(config.getDisplaysAll()),
        all_views=tuple(
            dict.fromkeys(view for display in config.getDisplaysAll() for view in all_views_of(config, display))
        ),
        looks=tuple(
            LookInfo(look.getName(), look.getProcessSpace(), look.getDescription()) for look in config.getLooks()
        ),
        named_transforms=tuple(
            NamedTransformInfo(
                named.getName(),
                tuple(named.getAliases()),
                named.getFamily(),
                named.getEncoding(),
                named.getDescription(),
            )
            for named in config.getNamedTransforms()
        ),
        file_rules=tuple(_file_rules(config.getFileRules())),
        viewing_rules=tuple(_viewing_rules(config.getViewingRules())),
        variables=tuple(
            VariableInfo(name, config.getEnvironmentVarDefault(name)) for name in config.getEnvironmentVarNames()
        ),
        search_path=tuple(config.getSearchPaths()),
        working_spaces=tuple(working_spaces(config)),
    )


def all_views_of(config: ocio.Config, display: str) -> Iterator[str]:
    """A display's views, whether active or not."""
    yield from config.getViews(ocio.VIEW_DISPLAY_DEFINED, display)
    yield from config.getViews(ocio.VIEW_SHARED, display)


def _view_info(config: ocio.Config, display: str, view: str) -> ViewInfo:
    return ViewInfo(
        display=display,
        view=view,
        transform=config.getDisplayViewTransformName(display, view),
        space=config.getResolvedDisplayViewColorSpaceName(display, view),
        looks=config.getDisplayViewLooks(display, view),
        rule=config.getDisplayViewRule(display, view),
        description=config.getDisplayViewDescription(display, view),
    )


def _file_rules(rules: ocio.FileRules) -> Iterator[FileRuleInfo]:
    for index in range(rules.getNumEntries()):
        regex, pattern, extension = rules.getRegex(index), rules.getPattern(index), rules.getExtension(index)
        glob = f"{pattern}.{extension}" if pattern or extension else ""
        yield FileRuleInfo(rules.getName(index), regex or glob, rules.getColorSpace(index) or "")


def _viewing_rules(rules: ocio.ViewingRules) -> Iterator[ViewingRuleInfo]:
    for index in range(rules.getNumEntries()):
        yield ViewingRuleInfo(
            rules.getName(index), tuple(rules.getColorSpaces(index)), tuple(rules.getEncodings(index))
        )


def _space_info(space: ocio.ColorSpace) -> SpaceInfo:
    return SpaceInfo(
        name=space.getName(),
        aliases=tuple(space.getAliases()),
        family=space.getFamily(),
        encoding=space.getEncoding(),
        categories=tuple(space.getCategories()),
        interop_id=space.getInteropID(),
        description=space.getDescription(),
        is_data=space.isData(),
        reference="display" if space.getReferenceSpaceType() == ocio.REFERENCE_SPACE_DISPLAY else "scene",
    )


def working_spaces(config: ocio.Config) -> list[str]:
    """The scene-linear spaces a render can be made in; those most in use come first, found by interop ID or alias."""
    usual = [config.getColorSpace(alias) for alias in ("lin_ap1_scene", "lin_rec709_scene", "lin_rec2020_scene")]
    first = [space.getName() for space in usual if space is not None]
    spaces = scene_spaces(config, active=True)
    linear = [space.getName() for space in spaces if not space.isData() and is_linear(config, space.getName())]
    return [name for name in first if name in linear] + [name for name in linear if name not in first]


def working_space_of(config: ocio.Config) -> str:
    """The space that a config is rendered in: the one of its scene-linear role, else the usual one. Raises BadInput for
    a config without a scene-linear space."""
    linear = working_spaces(config)
    if not linear:
        raise BadInput("This config has no scene-linear colour space, so nothing can be rendered in it.")
    role = config.getColorSpace(ocio.ROLE_SCENE_LINEAR)
    return role.getName() if role and role.getName() in linear else linear[0]


def screen_view(config: ocio.Config, choice: ViewChoice) -> ViewChoice:
    """The view that thumbnails and swatches are drawn through: the chosen one on a plain sRGB screen.

    Where the config has no display with the sRGB interop ID or alias, the chosen display stands; where that display
    lacks the view, its default view does.
    """
    srgb = config.getColorSpace("srgb_rec709_display")
    display = srgb.getName() if srgb and srgb.getName() in config.getDisplays() else choice.display
    views = config.getViews(display)
    return ViewChoice(display, choice.view if choice.view in views else config.getDefaultView(display), choice.look)
