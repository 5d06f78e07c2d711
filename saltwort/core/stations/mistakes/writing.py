"""What goes wrong while a file is written: what is seen looks right, and the next application gets something else."""

from collections.abc import Iterator
from dataclasses import replace

import numpy as np

from saltwort.core.configs.matching import spaces_of_ids
from saltwort.core.explain.operations.channels import ordered
from saltwort.core.explain.operations.curves import decoded
from saltwort.core.explain.operations.exposure import exposed
from saltwort.core.explain.operations.levels import squeezed, stretched
from saltwort.core.explain.operations.power import powered
from saltwort.core.explain.operations.primaries import LINEAR_IDS
from saltwort.core.explain.steps import divided, multiplied, on_colour
from saltwort.core.images.reading import Pixels
from saltwort.core.stations.mistake import Range, Slip, mistake
from saltwort.core.stations.mistakes.reading import clipped_at_one, encodings_of
from saltwort.core.stations.mistakes.viewing import STOPS
from saltwort.core.stations.simulation import Bench, Run, encoded_as_srgb, step_if_possible


@mistake(
    "view-baked",
    "write",
    "writing/bake",
    "output",
    "The view written into the file",
    "The view {view} was written into the file: it holds a picture and no light.",
    "Turn the view off where the file is written, and write it again.",
    finding="handoff.view-baked-for-compositing",
)
def view_baked(bench: Bench, run: Run) -> Iterator[Slip]:
    if bench.hands_on == "light":
        undo = step_if_possible(bench.view_undone)
        yield Slip(replace(run, write=(*run.write, bench.view())), {"view": bench.choice.view}, undo=undo)


@mistake(
    "encoded",
    "write",
    "writing/space",
    "output",
    "Written with a curve",
    "The file was written with the curve of {space} instead of as light.",
    "Write it as {working}, scene-linear.",
)
def encoded(bench: Bench, run: Run) -> Iterator[Slip]:
    if bench.hands_on != "light":
        return
    told: dict[str, str | float] = {"working": bench.working_space}
    yield Slip(replace(run, write=(*run.write, on_colour(encoded_as_srgb))), {"space": "sRGB", **told}, undo=decoded)
    if bench.encoded_only is not None:
        space: dict[str, str | float] = {"space": bench.choice.display, **told}
        yield Slip(replace(run, write=(*run.write, bench.encoded_only)), space, undo=bench.encoding_undone)
    for name, step in encodings_of(bench):
        back = bench.between(name, bench.working_space)
        yield Slip(replace(run, write=(*run.write, step)), {"space": name, **told}, undo=back)


@mistake(
    "view-missing",
    "write",
    "writing/bake",
    "output",
    "Written without the view",
    "The file was written without the view: it holds light cut off at 1.",
    "Turn the view {view} on where the file is written, and off everywhere else.",
)
def without_view(bench: Bench, run: Run) -> Iterator[Slip]:
    if bench.hands_on == "picture" and run.write:
        yield Slip(replace(run, write=(clipped_at_one,)), {"view": bench.choice.view})


@mistake(
    "view-twice",
    "write",
    "writing/bake",
    "output",
    "The view written twice",
    "The view was applied twice in the file: by the viewer’s process, and again on saving.",
    "Turn one of them off: let saving apply the view, and nothing before it.",
    finding="handoff.viewed-twice",
)
def view_twice(bench: Bench, run: Run) -> Iterator[Slip]:
    if bench.hands_on == "picture":
        yield Slip(replace(run, write=(*run.write, clipped_at_one, bench.view())))


@mistake(
    "clipped",
    "write",
    "writing/format",
    "output",
    "Cut off at 1 in the file",
    "The file is cut off at {level}: it was written in a format of whole numbers, or with a clamp.",
    "Write float EXR, without a clamp.",
    finding="handoff.bit-depth-clips",
)
def clipped(bench: Bench, run: Run) -> Iterator[Slip]:
    if bench.hands_on == "light":
        yield Slip(replace(run, write=(*run.write, clipped_at_one)), {"level": 1.0})


@mistake(
    "negatives-clipped",
    "write",
    "writing/format",
    "output",
    "Negative values clipped in the file",
    "Values below 0 were clipped: colours outside the gamut of the working space are changed.",
    "Write float EXR, without a clamp at 0.",
    finding="handoff.bit-depth-clips",
)
def negatives_clipped(bench: Bench, run: Run) -> Iterator[Slip]:
    if bench.hands_on == "light":
        yield Slip(replace(run, write=(*run.write, on_colour(lambda light: np.maximum(light, 0)))))


@mistake(
    "channels",
    "write",
    "writing/format",
    "output",
    "Channels written in another order",
    "Red and blue have changed places in the file.",
    "Write the channels in the order R, G, B.",
)
def channels(bench: Bench, run: Run) -> Iterator[Slip]:
    if bench.hands_on is not None:
        swap = ordered((2, 1, 0))
        yield Slip(replace(run, write=(*run.write, swap)), {"order": "BGR"}, undo=swap)


@mistake(
    "steps",
    "write",
    "writing/format",
    "output",
    "8 bits on the way",
    "The numbers stand in steps of {bits} bits, and end at 1.",
    "Work in 32 bits, float, and write float EXR.",
    finding="handoff.bit-depth-clips",
)
def steps(bench: Bench, run: Run) -> Iterator[Slip]:
    if bench.hands_on == "light":
        yield Slip(replace(run, write=(*run.write, on_colour(_in_8_bits))), {"bits": 8.0})


@mistake(
    "primaries",
    "write",
    "writing/space",
    "output",
    "Written in another space",
    "The file was written in {written} instead of {space}.",
    "Write it in {space}.",
)
def primaries(bench: Bench, run: Run) -> Iterator[Slip]:
    if bench.hands_on != "light":
        return
    for _, name in spaces_of_ids(bench.config, LINEAR_IDS):
        step = step_if_possible(lambda name=name: bench.between(bench.working_space, name))  # type: ignore[misc]
        if name != bench.working_space and step:
            back = bench.between(name, bench.working_space)
            told: dict[str, str | float] = {"written": name, "space": bench.working_space}
            yield Slip(replace(run, write=(*run.write, step)), told, undo=back)


@mistake(
    "exposure",
    "write",
    "writing/exposure",
    "output",
    "Exposure written into the file",
    "The file is {stops} stops off: an exposure was written into it.",
    "Set every exposure to 0 before writing, or use the viewer’s, which is for looking only.",
)
def exposure(bench: Bench, run: Run) -> Iterator[Slip]:
    if bench.hands_on == "light":

        def at(stops: float) -> Run:
            return replace(run, write=(*run.write, exposed(stops)))

        for stops in STOPS:
            yield Slip(at(stops), {"stops": stops}, Range("stops", -10.0, 10.0, at), exposed(-stops))


@mistake(
    "power",
    "write",
    "viewing/own-gamma",
    "output",
    "A gamma written into the file",
    "A gamma of {exponent} was written into the file.",
    "Set the gamma of the file to 1, or off.",
)
def power(bench: Bench, run: Run) -> Iterator[Slip]:
    if bench.hands_on is not None:

        def at(exponent: float) -> Run:
            return replace(run, write=(*run.write, powered(exponent)))

        for exponent in (1 / 2.4, 1 / 2.2, 1 / 1.8, 1.8, 2.2, 2.4):
            yield Slip(at(exponent), {"exponent": exponent}, Range("exponent", 0.3, 3.3, at), powered(1 / exponent))


@mistake(
    "alpha-divided",
    "write",
    "writing/alpha",
    "output",
    "Divided by alpha",
    "Colour was divided by alpha: the file was written unassociated.",
    "Write it associated (premultiplied), as EXR is meant.",
)
def alpha_divided(bench: Bench, run: Run) -> Iterator[Slip]:
    if bench.hands_on == "light":
        yield Slip(replace(run, write=(*run.write, divided)), undo=multiplied)


@mistake(
    "alpha-twice",
    "write",
    "writing/alpha",
    "output",
    "Multiplied by alpha once more",
    "Colour was multiplied by alpha once more on saving.",
    "Write it as it is, associated.",
)
def alpha_twice(bench: Bench, run: Run) -> Iterator[Slip]:
    if bench.hands_on == "light":
        yield Slip(replace(run, write=(*run.write, multiplied)), undo=divided)


@mistake(
    "levels",
    "write",
    "writing/levels",
    "output",
    "Written in legal range",
    "The file is in legal range, 16–235, and is to be full.",
    "Write full range (0–255).",
)
def levels(bench: Bench, run: Run) -> Iterator[Slip]:
    if bench.hands_on in ("picture", "texture"):
        yield Slip(replace(run, write=(*run.write, clipped_at_one, squeezed)), {"range": "legal"}, undo=stretched)


def _in_8_bits(light: Pixels) -> Pixels:
    return np.asarray(np.round(np.clip(light, 0, 1) * 255) / 255, np.float32)
