"""Views that the project adds, written into a config."""

import PyOpenColorIO as ocio

from saltwort.core.errors import BadInput
from saltwort.core.luts import Files
from saltwort.core.views.family import AddedView, view_families


def add_views(config: ocio.Config, views: tuple[AddedView, ...]) -> Files:
    """Write views into a config that is to be changed, and give back the LUT files they need, by path.

    The config's role scene_linear must be set already: filmic works in its primaries. Raises BadInput, naming the
    view, for a display or rendering there is not, or a name that is taken.
    """
    files: Files = {}
    for view in views:
        if view.display not in config.getDisplaysAll():
            raise BadInput(f"View “{view.name}”: the config has no display “{view.display}”.")
        if view.name in config.getViews(ocio.VIEW_DISPLAY_DEFINED, view.display) or view.name in config.getViews(
            ocio.VIEW_SHARED, view.display
        ):
            raise BadInput(f"The display “{view.display}” has a view “{view.name}” already. Choose another name.")
        if not view.name.strip() or any(mark in view.name for mark in ",:"):
            raise BadInput("A view needs a name, without commas and colons.")
        if view.family not in view_families():
            raise BadInput(f"View “{view.name}”: there is no family “{view.family}”.")
        files |= view_families()[view.family].add(config, view)
        if list(config.getActiveViews()):
            config.addActiveView(view.name)
    return files
