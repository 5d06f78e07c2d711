"""Material documents: valid by the standard library, with the space of every file; and documents of others."""

from unittest import TestCase

import MaterialX as mx

from saltwort.core.errors import BadInput
from saltwort.core.textures.kinds import map_kind_of
from saltwort.core.textures.materialx import (
    MAX_DOCUMENT_BYTES,
    MaterialFile,
    disagreements,
    documented_files,
    material_document,
)
from tests.samples import LINEAR_REC709, SRGB, base_config

LAMP = {
    "lamp/lamp_basecolor.1001.exr": "ACEScg",
    "lamp/lamp_basecolor.1002.exr": "ACEScg",
    "lamp/lamp_gloss.png": "Raw",
    "lamp/lamp_normal_2k.png": "Raw",
    "lamp/lamp_normal_4k.png": "Raw",
    "lamp/lamp_emission.png": SRGB,
    "lamp/lamp_disp.exr": "Raw",
    "lamp/lamp_mask.png": "Raw",
    'lamp/lamp "3" & <b>_opacity.png': "Raw",
}


def lamp_document() -> str:
    files = [MaterialFile(path, map_kind_of(path), space, 16 if "4k" in path else 4) for path, space in LAMP.items()]
    return material_document("harbour lamp", files, base_config())


def read(text: str) -> mx.Document:
    document = mx.createDocument()
    mx.readFromXmlString(document, text)
    return document


def document(inner: str, space: str = "") -> bytes:
    return f'<?xml version="1.0"?><materialx version="1.39" colorspace="{space}">{inner}</materialx>'.encode()


def picture(path: str, sort: str = "color3", space: str = "") -> str:
    said = f' colorspace="{space}"' if space else ""
    return f'<image name="i" type="{sort}"><input name="file" type="filename" value="{path}"{said} /></image>'


class Writing(TestCase):
    def test_it_is_valid_by_the_standard_library(self) -> None:
        library = mx.createDocument()
        mx.loadLibraries(mx.getDefaultDataLibraryFolders(), mx.getDefaultDataSearchPath(), library)
        written = read(lamp_document())
        written.setDataLibrary(library)
        self.assertEqual(written.validate(), (True, ""))

    def test_every_file_has_its_space_by_the_specifications_name(self) -> None:
        said = {file.path: file.said for file in documented_files(lamp_document().encode(), "lamp.mtlx")}
        self.assertEqual(
            said,
            {
                "lamp/lamp_basecolor.<UDIM>.exr": "acescg",
                "lamp/lamp_gloss.png": "none",
                "lamp/lamp_normal_4k.png": "none",
                "lamp/lamp_emission.png": "srgb_texture",
                "lamp/lamp_disp.exr": "none",
                "lamp/lamp_mask.png": "none",
                'lamp/lamp "3" & <b>_opacity.png': "none",
            },
        )

    def test_maps_are_connected_as_the_surface_takes_them(self) -> None:
        written = read(lamp_document())
        surface = written.getNode("harbour_lamp_surface")
        connected = {one.getName(): one.getNodeName() for one in surface.getInputs() if one.getNodeName()}
        self.assertEqual(set(connected), {"base_color", "emission_color", "normal", "opacity", "specular_roughness"})
        self.assertEqual(surface.getInputValue("emission"), 1.0)
        self.assertEqual(written.getNode(connected["specular_roughness"]).getCategory(), "invert")
        self.assertEqual(written.getNode(connected["normal"]).getCategory(), "normalmap")
        material = written.getNode("harbour_lamp")
        self.assertEqual(
            written.getNode(material.getInput("displacementshader").getNodeName()).getCategory(), "displacement"
        )

    def test_what_is_written_agrees_with_itself(self) -> None:
        rows = disagreements(documented_files(lamp_document().encode(), "lamp.mtlx"), LAMP, base_config())
        self.assertEqual({row.texture for row in rows}, set(LAMP) - {"lamp/lamp_normal_2k.png"})
        self.assertTrue(all(row.agrees for row in rows))


class Comparing(TestCase):
    def rows(self, content: bytes, **assigned: str):
        paths = {"lamp/lamp_col.png": SRGB, "wall/lamp_col.png": SRGB, "lamp/lamp_rough.png": "Raw"} | assigned
        return disagreements(documented_files(content, "a.mtlx"), paths, base_config())

    def test_another_space_than_the_rules_is_told(self) -> None:
        (row,) = self.rows(document(picture("/shows/x/lamp/lamp_col.png", space="lin_rec709")))
        self.assertEqual((row.texture, row.said_space, row.assigned), ("lamp/lamp_col.png", LINEAR_REC709, SRGB))
        self.assertFalse(row.agrees)

    def test_a_space_is_taken_from_around_and_for_colours_only(self) -> None:
        (colour,) = self.rows(document(picture("lamp/lamp_col.png"), "srgb_texture"))
        self.assertTrue(colour.agrees)
        (rough,) = self.rows(document(picture("lamp/lamp_rough.png", "float"), "srgb_texture"))
        self.assertTrue(rough.agrees)
        (as_colour,) = self.rows(document(picture("lamp/lamp_rough.png"), "srgb_texture"))
        self.assertEqual((as_colour.agrees, as_colour.said_space), (False, SRGB))

    def test_what_cannot_be_compared_says_why(self) -> None:
        for content, words in (
            (document(picture("lamp/other.png", space="acescg")), "No texture of the project"),
            (document(picture("lamp/lamp_col.png")), "says nothing"),
            (document(picture("lamp/lamp_col.png", space="my_own")), "no space my_own"),
        ):
            (row,) = self.rows(content)
            self.assertIn(words, row.why)

    def test_the_nearest_of_one_name(self) -> None:
        self.assertEqual(
            [row.texture for row in self.rows(document(picture("x/wall/lamp_col.png", space="acescg")))],
            ["wall/lamp_col.png"],
        )
        both = self.rows(document(picture("lamp_col.png", space="acescg")))
        self.assertEqual({row.texture for row in both}, {"lamp/lamp_col.png", "wall/lamp_col.png"})

    def test_what_is_no_document_is_refused(self) -> None:
        include = '<xi:include xmlns:xi="http://www.w3.org/2001/XInclude" href="/etc/passwd" />'
        deep = '<nodegraph name="a">' * 100_000 + "</nodegraph>" * 100_000
        for content, words in (
            (b"", "no MaterialX document|holds no material"),
            (b"hello", "no MaterialX document|holds no material"),
            (b"\xff\xfe", "no MaterialX document"),
            (b"<materialx", "no MaterialX document"),
            (document(""), "holds no material"),
            (document(deep), "no MaterialX document"),
            (b" " * (MAX_DOCUMENT_BYTES + 1), "too large"),
        ):
            with self.subTest(content[:20]), self.assertRaisesRegex(BadInput, words):
                documented_files(content, "a.mtlx")
        self.assertEqual(len(self.rows(document(include + picture("lamp/lamp_col.png", space="acescg")))), 1)
