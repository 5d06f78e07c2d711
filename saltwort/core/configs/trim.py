"""Cut a config down to what a show needs, with everything that this depends on."""

from collections.abc import Iterator
from dataclasses import dataclass
from posixpath import normpath

import PyOpenColorIO as ocio

from saltwort.core.engine import ConfigArchive, ViewChoice, load_config
from saltwort.core.engine.measured import DISPLAY_INTERCHANGE, SCENE_INTERCHANGE
from saltwort.core.engine.transforms import transforms_within
from saltwort.core.errors import BadInput

# Roles that stay whatever is picked: without them other applications cannot render, or compare configs, and the
# engine asks for the logarithmic ones from version 2.2 on.
NEEDED_ROLES = (
    ocio.ROLE_SCENE_LINEAR,
    ocio.ROLE_COMPOSITING_LOG,
    ocio.ROLE_COLOR_TIMING,
    SCENE_INTERCHANGE,
    DISPLAY_INTERCHANGE,
    ocio.ROLE_DATA,
    ocio.ROLE_DEFAULT,
)


@dataclass(frozen=True)
class Trim:
    """What a show picks of a config: spaces and looks by name, and views on their displays. The rest goes, but for
    what these depend on."""

    spaces: tuple[str, ...]
    views: tuple[ViewChoice, ...]
    looks: tuple[str, ...] = ()


@dataclass(frozen=True)
class Extent:
    """How much a config holds."""

    spaces: int
    views: int
    looks: int
    bytes: int


def extent(archive: ConfigArchive) -> Extent:
    """Count spaces, views on displays, looks, and the bytes of text and LUTs."""
    config = load_config(archive)
    return Extent(
        spaces=len(config.getColorSpaceNames(ocio.SEARCH_REFERENCE_SPACE_ALL, ocio.COLORSPACE_ALL)),
        views=sum(len(config.getViews(display)) for display in config.getDisplays()),
        looks=len(config.getLookNames()),
        bytes=len(archive.text.encode()) + sum(map(len, archive.files.values())),
    )


def trim(archive: ConfigArchive, picked: Trim) -> ConfigArchive:
    """The config with what was picked, and what that depends on: spaces of needed roles, of file rules, of views and
    of looks, spaces that these refer to, view transforms, and LUT files.

    Raises BadInput when nothing would be left to look through, or something picked is not there.
    """
    config = load_config(archive)
    needs = _Needs(config)
    for name in picked.spaces:
        needs.space(name)
    for look in picked.looks:
        needs.look(look)
    kept_views = [view for view in picked.views if view.view in config.getViews(view.display)]
    if not kept_views:
        raise BadInput("Keep at least one view, or no application can show a picture.")
    for view in kept_views:
        needs.view(view)
    for role in NEEDED_ROLES:
        if config.hasRole(role):
            needs.space(config.getColorSpace(role).getName())
    rules = config.getFileRules()
    for index in range(rules.getNumEntries()):
        if rules.getColorSpace(index):
            needs.space(rules.getColorSpace(index))
    _cut(config, needs, kept_views)
    try:
        config.validate()
    except ocio.Exception as error:
        raise BadInput(f"The reduced config would not be valid: {' '.join(str(error).split())}") from error
    files = {path: content for path, content in archive.files.items() if needs.file(path)}
    return ConfigArchive(config.serialize(), files)


class _Needs:
    """Collects names, and with each what it refers to in turn."""

    def __init__(self, config: ocio.Config) -> None:
        self._config = config
        self.spaces: set[str] = set()
        self.looks: set[str] = set()
        self.view_transforms: set[str] = set()
        self._files: set[str] = set()

    def space(self, name: str) -> None:
        space = self._config.getColorSpace(name)
        if space is None:
            if self._config.getNamedTransform(name) is None:
                raise BadInput(f"The config has no colour space “{name}”. Choose one from its list.")
            return
        if space.getName() in self.spaces:
            return
        self.spaces.add(space.getName())
        for direction in (ocio.COLORSPACE_DIR_TO_REFERENCE, ocio.COLORSPACE_DIR_FROM_REFERENCE):
            self._transform(space.getTransform(direction))

    def look(self, name: str) -> None:
        look = self._config.getLook(name)
        if look is None:
            raise BadInput(f"The config has no look “{name}”.")
        if name not in self.looks:
            self.looks.add(name)
            self.space(look.getProcessSpace())
            self._transform(look.getTransform())
            self._transform(look.getInverseTransform())

    def view(self, view: ViewChoice) -> None:
        config = self._config
        self.space(config.getResolvedDisplayViewColorSpaceName(view.display, view.view) or view.display)
        for look in _look_names(config.getDisplayViewLooks(view.display, view.view)):
            self.look(look)
        name = config.getDisplayViewTransformName(view.display, view.view)
        if name and name not in self.view_transforms:
            self._view_transform(name)
        if default := config.getDefaultViewTransformName():
            self._view_transform(default)

    def file(self, path: str) -> bool:
        """Whether a LUT of the archive is one that something kept refers to, below any folder of the search path."""
        return any(path == wanted or path.endswith(f"/{wanted}") for wanted in self._files)

    def _view_transform(self, name: str) -> None:
        if name in self.view_transforms:
            return
        self.view_transforms.add(name)
        transform = self._config.getViewTransform(name)
        for direction in (ocio.VIEWTRANSFORM_DIR_TO_REFERENCE, ocio.VIEWTRANSFORM_DIR_FROM_REFERENCE):
            self._transform(transform.getTransform(direction))

    def _transform(self, transform: ocio.Transform | None) -> None:
        for part in transforms_within(transform):
            if isinstance(part, ocio.FileTransform):
                self._files.add(normpath(part.getSrc()))
            elif isinstance(part, ocio.ColorSpaceTransform):
                self.space(part.getSrc())
                self.space(part.getDst())
            elif isinstance(part, ocio.LookTransform):
                self.space(part.getSrc())
                self.space(part.getDst())
                for look in _look_names(part.getLooks()):
                    self.look(look)
            elif isinstance(part, ocio.DisplayViewTransform):
                self.space(part.getSrc())
                self.view(ViewChoice(part.getDisplay(), part.getView()))


def _look_names(looks: str) -> list[str]:
    """The names in a list of looks such as `warm, -cool`; alternatives stand behind `|`."""
    names = [name.strip().lstrip("+-").strip() for name in looks.replace("|", ",").replace(":", ",").split(",")]
    return [name for name in names if name]


def _cut(config: ocio.Config, needs: _Needs, views: list[ViewChoice]) -> None:
    """Take out what is not needed. Views go first, since they refer to the rest."""
    kept = {(view.display, view.view) for view in views}
    for display in list(config.getDisplaysAll()):
        for view in list(config.getViews(ocio.VIEW_DISPLAY_DEFINED, display)) + list(
            config.getViews(ocio.VIEW_SHARED, display)
        ):
            if (display, view) not in kept:
                config.removeDisplayView(display, view)
    used = {view for display in config.getDisplaysAll() for view in config.getViews(ocio.VIEW_SHARED, display)}
    for view in list(config.getSharedViews()):
        if view not in used:
            config.removeSharedView(view)
            if view in config.getVirtualDisplayViews(ocio.VIEW_SHARED):
                config.removeVirtualDisplayView(view)
    config.setActiveDisplays(_still(config.getActiveDisplays(), {display for display, _ in kept}))
    config.setActiveViews(_still(config.getActiveViews(), {view for _, view in kept}))
    for role, space in list(config.getRoles()):
        if config.getColorSpace(space).getName() not in needs.spaces:
            config.setRole(role, None)
    transforms = [transform for transform in config.getViewTransforms() if transform.getName() in needs.view_transforms]
    config.clearViewTransforms()
    for transform in transforms:
        config.addViewTransform(transform)
    looks = [look for look in config.getLooks() if look.getName() in needs.looks]
    config.clearLooks()
    for look in looks:
        config.addLook(look)
    for name in list(config.getColorSpaceNames(ocio.SEARCH_REFERENCE_SPACE_ALL, ocio.COLORSPACE_ALL)):
        if name not in needs.spaces:
            config.removeColorSpace(name)
    inactive = {name.strip() for name in config.getInactiveColorSpaces().split(",")}
    config.setInactiveColorSpaces(", ".join(sorted(inactive & needs.spaces)))
    _cut_viewing_rules(config)


def _cut_viewing_rules(config: ocio.Config) -> None:
    """Take out of viewing rules what no space has any more: the engine remarks on it at every load."""
    encodings = {space.getEncoding() for space in config.getColorSpaces()}
    rules = config.getViewingRules()
    for index in range(rules.getNumEntries()):
        listed = list(rules.getEncodings(index))
        kept = [encoding for encoding in listed if encoding in encodings]
        for position in range(len(listed) - 1, -1, -1):
            if kept and listed[position] not in encodings:
                rules.removeEncoding(index, position)
        for position in range(len(list(rules.getColorSpaces(index))) - 1, -1, -1):
            if config.getColorSpace(list(rules.getColorSpaces(index))[position]) is None:
                rules.removeColorSpace(index, position)
    config.setViewingRules(rules)


def _still(names: Iterator[str], kept: set[str]) -> str:
    return ", ".join(f'"{name}"' if "," in name else name for name in names if name in kept)
