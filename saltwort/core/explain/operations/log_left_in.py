"""A logarithmic encoding left in, or light decoded as if it were one."""

from collections.abc import Iterator

import PyOpenColorIO as ocio

from saltwort.core.explain.operation import Scene, Way, operation

ROLES = (ocio.ROLE_COMPOSITING_LOG, ocio.ROLE_COLOR_TIMING, "ACEScct", "ACEScc")


@operation("log-left-in", "light", "The logarithm of {space} was left in.")
def log_left_in(scene: Scene) -> Iterator[Way]:
    known = {found.getName() for role in ROLES if (found := scene.config.getColorSpace(role))}
    for name in sorted(known):
        undo = scene.between(name, scene.working_space)
        yield Way(scene.between(scene.working_space, name), {"space": name}, undo=undo)
