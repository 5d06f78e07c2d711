"""What a view family is, and the registry of them.

A family is a module in `views/families` with a subclass of ViewFamily and the decorator `family`; it is found by being
there. Where its views can be designed it has parameters, a design of its own, and presets.
"""

from collections.abc import Mapping
from dataclasses import dataclass
from functools import cache
from typing import ClassVar

import PyOpenColorIO as ocio

from saltwort.core.errors import BadInput
from saltwort.core.luts import Files, add_lut_folder
from saltwort.core.modules import import_all
from saltwort.core.views.design import Design, Parameter, check_design
from saltwort.core.views.screens import display_space


@dataclass(frozen=True)
class AddedView:
    """A view that the project adds: `family` is a key of `view_families()`; `rendering` one of its renderings, where
    it has some; `design`, for one that can be designed, what its views are made by instead of the family's own."""

    display: str
    name: str
    family: str
    rendering: str = ""
    design: Design | None = None


@dataclass(frozen=True)
class Preset:
    """A design to start from, with a name, and in one sentence what it is for."""

    name: str
    use: str
    design: Design


@dataclass(frozen=True)
class WrittenView:
    """A view transform from scene light to a display's light: its name, operations, and the LUT files they need."""

    name: str
    transforms: list[ocio.Transform]
    files: Files


class ViewFamily:
    """A kind of view transform, with a sentence on when to choose it."""

    key: ClassVar[str]
    label: ClassVar[str]
    use: ClassVar[str]
    parameters: ClassVar[tuple[Parameter, ...]] = ()
    own_design: ClassVar[Design | None] = None
    presets: ClassVar[tuple[Preset, ...]] = ()

    def write(self, config: ocio.Config, view: AddedView, space: str) -> WrittenView:
        """The view transform for displays that show a display-referred space. Raises BadInput for a view that cannot
        be written."""
        raise NotImplementedError

    def renderings(self) -> Mapping[str, str]:
        """Renderings to choose from, name to description; none where the family is one."""
        return {}

    def check(self, design: Design) -> None:
        """Raise BadInput for a design that its views cannot have."""
        if self.own_design is None:
            raise BadInput(f"{self.label} views cannot be designed. Choose another family.")
        check_design(self.parameters, design)

    def add(self, config: ocio.Config, view: AddedView) -> Files:
        """Write a view into a config, and give back the LUT files that it needs, by path."""
        space = display_space(config, view.display)
        if view.design is not None:
            self.check(view.design)
        written = self.write(config, view, space)
        name = written.name
        if view.design is not None:
            name = f"{view.name} ({written.name}) for {space}"
            if config.getViewTransform(name) is not None:
                raise BadInput(f"The config has a view transform “{name}” already. Choose another name.")
        elif self.own_design is not None:
            name = f"{written.name} for {space}"
        if config.getViewTransform(name) is None:
            group = ocio.GroupTransform(written.transforms)
            config.addViewTransform(ocio.ViewTransform(ocio.REFERENCE_SPACE_SCENE, name, fromReference=group))
        if written.files:
            add_lut_folder(config)
        config.addDisplayView(view.display, view.name, name, space, "", "", "")
        return written.files


_families: dict[str, ViewFamily] = {}


def family(kind: type[ViewFamily]) -> type[ViewFamily]:
    """Have a class be a view family."""
    if kind.key in _families:
        raise ValueError(f"{kind.key}: there is such a family already.")
    _families[kind.key] = kind()
    return kind


@cache
def view_families() -> Mapping[str, ViewFamily]:
    """All view families, by their key."""
    import_all("saltwort.core.views.families")
    return _families
