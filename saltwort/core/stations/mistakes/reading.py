"""What goes wrong while a file is read: it concerns all that follows."""

from collections.abc import Iterator
from dataclasses import replace

import numpy as np
import PyOpenColorIO as ocio

from saltwort.core.configs.matching import spaces_of_ids
from saltwort.core.explain.operations.channels import ordered
from saltwort.core.explain.operations.levels import squeezed, stretched
from saltwort.core.explain.operations.power import powered
from saltwort.core.explain.operations.primaries import LINEAR_IDS
from saltwort.core.explain.steps import Step, divided, in_turn, multiplied, on_colour
from saltwort.core.stations.abilities.own_gamma import OWN_GAMMA
from saltwort.core.stations.mistake import Slip, mistake
from saltwort.core.stations.simulation import Bench, Run, step_if_possible

ENCODED_IDS = ("srgb_rec709_scene", "srgb_p3d65_scene", "srgb_ap1_scene", "g22_rec709_scene", "g18_rec709_scene")


def _read_as(bench: Bench, run: Run, space: str) -> Run | None:
    step = step_if_possible(lambda: bench.between(space, bench.working_space))
    return replace(run, read=(step,)) if step else None


@mistake(
    "curve-missing",
    "read",
    "reading/textures",
    "file",
    "Read without decoding",
    "The file was read as {read_as}: its codes were taken for light.",
    "Read it as {space}.",
    finding="texture.encoded-read-as-linear",
)
def undecoded(bench: Bench, run: Run) -> Iterator[Slip]:
    if bench.fed == "texture" and bench.fed_space:
        told: dict[str, str | float] = {"read_as": "linear or raw", "space": bench.fed_space}
        yield Slip(replace(run, read=()), told, undo=bench.between(bench.fed_space, bench.working_space))


@mistake(
    "curve-twice",
    "read",
    "reading/space",
    "file",
    "Decoded once too often",
    "The file was decoded once too often: read as {read_as}.",
    "Read it as {space}, and convert nothing after that.",
    finding="handoff.rules-ignored",
)
def decoded_twice(bench: Bench, run: Run) -> Iterator[Slip]:
    texture = bench.texture_space
    if bench.fed_space is None or texture is None:
        return
    told: dict[str, str | float] = {"space": bench.fed_space}
    if bench.fed == "light":
        for interop_id, name in spaces_of_ids(bench.config, ENCODED_IDS):
            if interop_id in ("srgb_rec709_scene", "g22_rec709_scene"):
                again, back = bench.between(name, bench.working_space), bench.between(bench.working_space, name)
                yield Slip(replace(run, read=(again,)), {"read_as": name, **told}, undo=back)
        return
    # Decoded by the application, and once more by a node: the same curve on light of the same primaries.
    for _, linear in spaces_of_ids(bench.config, ("lin_rec709_scene",)):
        decode, back = bench.between(texture, linear), bench.between(linear, bench.working_space)
        undo = in_turn(bench.between(bench.working_space, linear), bench.between(linear, texture), back)
        yield Slip(replace(run, read=(decode, decode, back)), {"read_as": f"{texture}, twice", **told}, undo=undo)


@mistake(
    "primaries",
    "read",
    "reading/space",
    "file",
    "Primaries taken for others",
    "The file was read as {taken_as}: its primaries were taken for others.",
    "Read it as {space}.",
    finding="render.wrong-primaries",
)
def primaries(bench: Bench, run: Run) -> Iterator[Slip]:
    if bench.fed_space is None:
        return
    for _, name in spaces_of_ids(bench.config, LINEAR_IDS if bench.fed == "light" else ENCODED_IDS):
        if name != bench.fed_space and (other := _read_as(bench, run, name)):
            undo = in_turn(
                bench.between(bench.working_space, name), bench.between(bench.fed_space, bench.working_space)
            )
            yield Slip(other, {"taken_as": name, "space": bench.fed_space}, undo=undo)


@mistake(
    "log-left-in",
    "read",
    "reading/space",
    "file",
    "Light read as logarithmic",
    "The file was read as {read_as}, a logarithmic space, and it holds light.",
    "Read it as {space}.",
)
def read_as_log(bench: Bench, run: Run) -> Iterator[Slip]:
    for name in log_spaces(bench):
        if bench.fed == "light" and (other := _read_as(bench, run, name)):
            back = bench.between(bench.working_space, name)
            yield Slip(other, {"read_as": name, "space": bench.working_space}, undo=back)


def log_spaces(bench: Bench) -> list[str]:
    """The logarithmic spaces that a config names for its work, each once."""
    found = [space.getName() for role in _LOG_ROLES if (space := bench.config.getColorSpace(role))]
    return list(dict.fromkeys(found))


def encodings_of(bench: Bench) -> Iterator[tuple[str, Step]]:
    """The usual encoded spaces of a config and its logarithmic ones, each with the step from light to it."""
    for name in (*dict(spaces_of_ids(bench.config, ENCODED_IDS)).values(), *log_spaces(bench)):
        step = step_if_possible(lambda name=name: bench.between(bench.working_space, name))  # type: ignore[misc]
        if step:
            yield name, step


_LOG_ROLES = (ocio.ROLE_COLOR_TIMING, ocio.ROLE_COMPOSITING_LOG, "ACEScct")


@mistake(
    "power",
    "read",
    "viewing/own-gamma",
    "preference",
    "Its own gamma on what it reads",
    "A gamma of {exponent} was applied to what was read, besides its space.",
    "Set the application’s own gamma for files to 1, or off.",
)
def own_gamma(bench: Bench, run: Run) -> Iterator[Slip]:
    if bench.station.able(OWN_GAMMA) and bench.fed != "picture":
        for exponent in (2.2, 1 / 2.2):
            told: dict[str, str | float] = {"exponent": round(exponent, 3)}
            yield Slip(replace(run, read=(*run.read, powered(exponent))), told, undo=powered(1 / exponent))


@mistake(
    "clipped",
    "read",
    "working-space/depth",
    "project",
    "Cut off at 1",
    "Light is cut off at {level}: the project works in 8 or 16 bits, or a clamp is on.",
    "Set the project to 32 bits, float, and turn every clamp off.",
    finding="handoff.bit-depth-clips",
)
def clipped(bench: Bench, run: Run) -> Iterator[Slip]:
    if bench.fed == "light":
        yield Slip(replace(run, read=(*run.read, clipped_at_one)), {"level": 1.0})


@mistake(
    "levels",
    "read",
    "reading/levels",
    "file",
    "Full range read as legal",
    "The file was read as legal range, and it is full: blacks are crushed and whites cut off.",
    "Read it as full range.",
)
def levels(bench: Bench, run: Run) -> Iterator[Slip]:
    if bench.fed != "light":
        undo = None
        if bench.fed_space:
            encode = bench.between(bench.working_space, bench.fed_space)
            undo = in_turn(encode, squeezed, bench.between(bench.fed_space, bench.working_space))
        yield Slip(replace(run, read=(stretched, *run.read)), {"range": "full"}, undo=undo)


@mistake(
    "alpha-twice",
    "read",
    "reading/alpha",
    "file",
    "Multiplied by alpha once more",
    "Colour was multiplied by alpha once more: the file was read as unassociated, and it is associated.",
    "Read it as associated (premultiplied).",
)
def alpha_twice(bench: Bench, run: Run) -> Iterator[Slip]:
    if bench.fed == "light":
        yield Slip(replace(run, read=(multiplied, *run.read)), undo=divided)


@mistake(
    "channels",
    "read",
    "reading/space",
    "file",
    "Channels in another order",
    "Red and blue have changed places.",
    "Map the channels R, G, B by their names.",
)
def channels(bench: Bench, run: Run) -> Iterator[Slip]:
    swap = ordered((2, 1, 0))
    undo = None
    if bench.fed_space:
        encode, decode = (
            bench.between(bench.working_space, bench.fed_space),
            bench.between(bench.fed_space, bench.working_space),
        )
        undo = in_turn(encode, swap, decode)
    yield Slip(replace(run, read=(swap, *run.read)), {"order": "BGR"}, undo=undo)


clipped_at_one: Step = on_colour(lambda numbers: np.clip(numbers, 0, 1))
