"""A view without conversion shows the numbers of a file: alike in stills, probes, sheets and through the library."""

from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any
from unittest import TestCase

import numpy as np
import OpenImageIO as oiio
from numpy.typing import NDArray

import saltwort
from saltwort.core.deliverables.registry import Defaults, deliverable_of
from saltwort.core.deliverables.shown import Source
from saltwort.core.engine import ViewChoice, apply, space_processor, view_processor
from saltwort.core.errors import BadInput
from saltwort.core.images import write_image
from saltwort.core.scene.renders import follow
from tests.samples import base_config

SEED = 20261202
SPACES = (
    "sRGB Encoded Rec.709 (sRGB)",
    "ACEScg",
    "Linear Rec.709 (sRGB)",
    "ACEScct",
    "Gamma 2.2 Encoded Rec.709",
    "Raw",
)
STEP = 1 / 65535


class OwnNumbers(TestCase):
    def setUp(self) -> None:
        folder = TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder, self.config = Path(folder.name), base_config()
        self.views = [
            ViewChoice(display, view)
            for display in self.config.getDisplays()
            for view in self.config.getViews(display)
            if view == "Raw"
        ]
        self.spaces = [name for name in SPACES if self.config.getColorSpace(name)]

    def still(self, source: Source, choice: ViewChoice, **settings: Any) -> NDArray[np.float32]:
        made, target = deliverable_of("still"), self.folder / f"out.{settings.get('format', 'png')}"
        asked = {"display": choice.display, "view": choice.view, **settings}
        chosen = made.settings_from(asked, Defaults(choice, "ACEScg"))
        made.write(self.config, [source], chosen, target, lambda share, doing: None)
        return np.asarray(oiio.ImageBuf(str(target)).get_pixels("float"))[..., :3]

    def test_however_a_picture_is_looked_at(self) -> None:
        self.assertGreaterEqual(len(self.views), 4)
        self.assertGreaterEqual(len(self.spaces), 4)
        random = np.random.default_rng(SEED)
        library = saltwort.load_config("ocio://cg-config-latest")
        for number, (choice, space) in enumerate((choice, space) for choice in self.views for space in self.spaces):
            with self.subTest(f"seed {SEED}, {number}", view=choice, space=space):
                colour = random.uniform(0.1, 0.9, 3)
                file = self.folder / "flat.png"
                write_image(file, np.broadcast_to(colour, (16, 24, 3)).astype(np.float32), "uint16")
                source = Source(file, space)
                whole = self.still(source, choice)
                np.testing.assert_allclose(whole, np.broadcast_to(colour, whole.shape), atol=STEP)
                for settings in ({"width": 7}, {"width": 7, "exposure": 1e-7}, {"exposure": 1e-7}, {"crop": "1 1 3 3"}):
                    shown = self.still(source, choice, **settings)
                    np.testing.assert_allclose(shown, np.broadcast_to(colour, shown.shape), atol=3 * STEP)
                stops = float(random.uniform(-2, 0.2))
                light = np.array(follow(self.config, tuple(colour), space, choice, 0.0).values)  # type: ignore[arg-type]
                np.testing.assert_allclose(light, colour, atol=2e-5)
                exposed = self.still(source, choice, exposure=stops)
                np.testing.assert_allclose(exposed[0, 0], np.clip(self.exposed(colour, space, stops), 0, 1), atol=STEP)
                pixels = np.broadcast_to(colour, (2, 2, 3)).astype(np.float32)
                found = saltwort.view(library, pixels, space, display=choice.display, view=choice.view, exposure=stops)
                np.testing.assert_allclose(found[0, 0], self.exposed(colour, space, stops), atol=2e-5)

    def exposed(self, colour: NDArray[np.float64], space: str, stops: float) -> NDArray[np.float32]:
        """What a file in a space would hold of a colour that is brighter; data is never brighter."""
        if self.config.getColorSpace(space).isData():
            return colour.astype(np.float32)
        to_light = self.config.getProcessor(space, "scene_linear").getDefaultCPUProcessor()
        back = self.config.getProcessor("scene_linear", space).getDefaultCPUProcessor()
        return np.asarray(back.applyRGB((np.asarray(to_light.applyRGB(list(colour))) * 2**stops).tolist()), np.float32)

    def test_from_light_the_numbers_of_the_file_come_back(self) -> None:
        random = np.random.default_rng(SEED)
        numbers = random.uniform(0.05, 0.95, (1, 50, 3)).astype(np.float32)
        for choice in self.views:
            for space in self.spaces:
                light = apply(space_processor(self.config, space, "scene_linear"), numbers)
                shown = apply(view_processor(self.config, "scene_linear", choice, numbers_in=space), light)
                np.testing.assert_allclose(shown, numbers, atol=2e-5, err_msg=f"{choice} {space}")

    def test_what_the_header_says_is_so(self) -> None:
        file = self.folder / "flat.png"
        write_image(file, np.full((4, 4, 3), 0.5, np.float32), "uint16")
        self.still(Source(file, "ACEScg"), self.views[0], format="exr")
        said = str(oiio.ImageBuf(str(self.folder / "out.exr")).spec().getattribute("ImageDescription"))
        self.assertIn("Numbers in ACEScg", said)
        self.assertNotIn("no linear values", said)

    def test_a_format_that_always_names_a_display_is_refused(self) -> None:
        made, choice = deliverable_of("still"), self.views[0]
        asked = {"display": choice.display, "view": choice.view, "format": "jxl"}
        settings = made.settings_from(asked, Defaults(choice, "ACEScg"))
        with self.assertRaisesRegex(BadInput, "these are of none. Choose PNG, TIFF or EXR"):
            made.check(self.config, settings)
