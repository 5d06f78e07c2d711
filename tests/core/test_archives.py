"""Configs that people bring: archives with LUTs, and hostile ones."""

import gc
import io
import stat
import subprocess
import sys
import zipfile
from unittest import TestCase

import PyOpenColorIO as ocio
from django.conf import settings

from saltwort.core.configs import read_archive
from saltwort.core.configs.archives import MAX_ENTRIES
from saltwort.core.configs.untried import named_luts, try_config
from saltwort.core.engine import ConfigArchive, load_config, space_processor
from saltwort.core.engine.loading import MAX_ALIASES, MAX_DEPTH
from saltwort.core.errors import BadInput
from tests.samples import base_text, fresh_config

LUT = b"Version 1\nFrom 0 1\nLength 3\nComponents 1\n{\n0\n0.25\n1\n}\n"


def config_with_luts() -> str:
    """The base config with a space on a LUT that is packed, and one on a LUT that is not."""
    config = fresh_config()
    config.setSearchPath("luts")
    for name, file in (("curved", "curve.spi1d"), ("broken", "lost.cube")):
        space = ocio.ColorSpace(ocio.REFERENCE_SPACE_SCENE, name, fromReference=ocio.FileTransform(file))
        config.addColorSpace(space)
    return config.serialize()


def zipped(entries: dict[str, bytes | str], compression: int = zipfile.ZIP_DEFLATED) -> bytes:
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w", compression) as archive:
        for name, content in entries.items():
            archive.writestr(name, content)
    return buffer.getvalue()


BUILDING = """
import sys, threading
from saltwort.core.engine import ConfigArchive, load_config, space_processor
from tests.core.test_archives import LUT, config_with_luts
sys.setswitchinterval(1e-6)
text = config_with_luts()
luts = [LUT.replace(b"0.25", b"0.%d" % middle) for middle in range(10, 20)]
configs = [load_config(ConfigArchive(text, {"luts/curve.spi1d": lut})) for lut in luts]
def build():
    for config in configs:
        for name in ("curved", "ACEScg", "ACEScct"):
            space_processor(config, "ACES2065-1", name)
threads = [threading.Thread(target=build) for _ in range(6)]
for thread in threads: thread.start()
for thread in threads: thread.join()
"""


class Archives(TestCase):
    def test_luts_come_from_the_archive(self) -> None:
        content = zipped({"config.ocio": config_with_luts(), "luts/curve.spi1d": LUT})
        config = load_config(read_archive(content, "show.ocioz"))
        self.assertEqual(
            space_processor(config, "ACES2065-1", "curved").applyRGB([0.5, 0.25, 0.75]), [0.25, 0.125, 0.625]
        )

    def test_a_missing_lut_breaks_only_what_needs_it(self) -> None:
        content = zipped({"config.ocio": config_with_luts(), "luts/curve.spi1d": LUT})
        config = load_config(read_archive(content, "show.ocioz"))
        with self.assertRaisesRegex(BadInput, "lost.cube"):
            space_processor(config, "ACEScg", "broken")
        space_processor(config, "ACEScg", "curved")

    def test_a_lut_of_the_same_path_in_another_config_is_another_lut(self) -> None:
        # The engine keeps LUTs by path for the whole process.
        for middle in (b"0.25", b"0.75", b"0.5"):
            archive = ConfigArchive(config_with_luts(), {"luts/curve.spi1d": LUT.replace(b"0.25", middle)})
            shown = space_processor(load_config(archive), "ACES2065-1", "curved").applyRGB([0.5, 0.5, 0.5])
            self.assertEqual(shown, [float(middle)] * 3)
        with self.assertRaisesRegex(BadInput, "could not be located"):
            space_processor(load_config(config_with_luts()), "ACES2065-1", "curved")

    def test_threads_that_build_at_once_do_not_stop_each_other(self) -> None:
        # In a process of its own, which a deadlock would otherwise keep from ever ending.
        run = subprocess.run([sys.executable, "-c", BUILDING], cwd=settings.BASE_DIR, timeout=120, check=False)
        self.assertEqual(run.returncode, 0)

    def test_a_folder_around_it_is_taken_off(self) -> None:
        content = zipped({"show/config.ocio": config_with_luts(), "show/luts/curve.spi1d": LUT, "notes.txt": "x"})
        archive = read_archive(content, "show.zip")
        self.assertEqual(list(archive.files), ["luts/curve.spi1d"])

    def test_text_alone(self) -> None:
        self.assertEqual(read_archive(base_text().encode(), "config.ocio"), ConfigArchive(base_text()))

    def test_the_hash_tells_text_and_files_apart(self) -> None:
        hashes = {ConfigArchive(base_text(), files).hash for files in ({}, {"a": b"1"}, {"a": b"2"}, {"b": b"1"})}
        self.assertEqual(len(hashes), 4)

    def test_a_config_outlives_what_it_was_loaded_from(self) -> None:
        config = load_config(ConfigArchive(config_with_luts(), {"luts/curve.spi1d": LUT}))
        gc.collect()
        self.assertEqual(space_processor(config, "ACES2065-1", "curved").applyRGB([0.5] * 3), [0.25] * 3)


class HostileArchives(TestCase):
    def assert_refused(self, content: bytes, words: str) -> None:
        with self.subTest(words), self.assertRaisesRegex(BadInput, words) as refused:
            load_config(read_archive(content, "brought.zip"))
        self.assertNotIn("\n", str(refused.exception))

    def test_names_that_lead_out(self) -> None:
        for name in ("../evil.cube", "/etc/evil.cube", "a/../../b.cube", "C:\\evil.cube", "a\\b.cube", "file:x"):
            self.assert_refused(zipped({"config.ocio": base_text(), name: LUT}), "leads out of it")

    def test_links(self) -> None:
        buffer = io.BytesIO()
        with zipfile.ZipFile(buffer, "w") as archive:
            archive.writestr("config.ocio", base_text())
            link = zipfile.ZipInfo("luts/passwd.cube")
            link.external_attr = (stat.S_IFLNK | 0o777) << 16
            archive.writestr(link, "/etc/passwd")
        self.assert_refused(buffer.getvalue(), "leads out of it")

    def test_bombs(self) -> None:
        self.assert_refused(zipped({"config.ocio": base_text(), "zeros.cube": b"\0" * 50_000_000}), "unpacks to 50 MB")
        small = read_archive(zipped({"config.ocio": base_text(), "zeros.cube": b"0 0 0\n" * 1_000_000}), "flat.zip")
        self.assertEqual(len(small.files["zeros.cube"]), 6_000_000)
        many = {f"{number}.cube": b"" for number in range(MAX_ENTRIES)}
        self.assert_refused(zipped({"config.ocio": base_text(), **many}), "holds 2,001 files")
        large = {"large.cube": bytes(range(256)) * 260_000}
        self.assert_refused(zipped({"config.ocio": base_text(), **large}, zipfile.ZIP_STORED), "too large for a LUT")

    def test_damaged_and_empty_zips(self) -> None:
        whole = zipped({"config.ocio": base_text()})
        self.assert_refused(whole[: len(whole) // 2], "damaged or encrypted")
        self.assert_refused(b"PK\x03\x04 and nothing else", "damaged or encrypted")
        self.assert_refused(zipped({"readme.txt": "hello"}), "holds no config.ocio")

    def test_text_that_would_cost_the_parser_too_much(self) -> None:
        self.assert_refused(("[" * (MAX_DEPTH + 1)).encode(), "nested deeper|not YAML")
        laughs = "a: &a [x, x]\n" + "".join(f"{n}: [{', '.join(['*a'] * 50)}]\n" for n in range(MAX_ALIASES // 50 + 1))
        self.assert_refused(laughs.encode(), "aliases")
        self.assert_refused(b"a: [", "not YAML")
        self.assert_refused(b"\xff\xfe\0", "not UTF-8 text")

    def test_what_the_engine_refuses(self) -> None:
        twice = base_text() + base_text()[base_text().index("colorspaces:") :]
        self.assert_refused(twice.encode(), "does not load")
        newer = base_text().replace("style: UTILITY - ACES-AP0_to_CIE-XYZ-D65_BFD", "style: FROM - THE FUTURE")
        self.assertNotEqual(newer, base_text())
        self.assert_refused(newer.encode(), "FROM - THE FUTURE")

    def test_spaces_in_a_circle_are_refused_when_used(self) -> None:
        config = fresh_config()
        for name, other in (("egg", "hen"), ("hen", "egg")):
            transform = ocio.ColorSpaceTransform(other, "ACES2065-1")
            config.addColorSpace(ocio.ColorSpace(ocio.REFERENCE_SPACE_SCENE, name, toReference=transform))
        loaded = load_config(config.serialize())
        with self.assertRaisesRegex(BadInput, "cannot make this transform"):
            space_processor(loaded, "egg", "ACEScg")


class Trial(TestCase):
    """A config is tried in a process of its own first."""

    def test_what_loads_passes_with_its_luts(self) -> None:
        try_config(ConfigArchive(config_with_luts(), {"luts/curve.spi1d": LUT}), "show.zip")

    def test_what_does_not_is_refused_with_the_reason(self) -> None:
        with self.assertRaisesRegex(BadInput, "not YAML"):
            try_config(ConfigArchive("a: ["), "broken.ocio")

    def test_what_takes_too_long_is_stopped(self) -> None:
        views = ", ".join(f"!<View> {{name: v{number}, colorspace: Raw}}" for number in range(20_000))
        many = base_text().replace("displays:\n", f"displays:\n  Wall: [{views}]\n")
        with self.assertRaisesRegex(BadInput, "slow.ocio takes longer than 4.* s to read"):
            try_config(ConfigArchive(many), "slow.ocio")

    def test_a_lut_that_asks_for_all_memory(self) -> None:
        for name, lut in (
            ("huge.spi1d", b"Version 1\nFrom 0 1\nLength 2000000000\nComponents 3\n{\n0 0 0\n}\n"),
            ("huge.spi3d", b"SPILUT 1.0\n3 3\n4000 4000 4000\n0 0 0 0 0 0\n"),
            ("huge.cube", b"LUT_3D_SIZE 2000\n0 0 0\n"),
        ):
            with self.subTest(name):
                # Either the library says that it is no LUT, or is ended; what counts is that this process goes on.
                try:
                    try_config(ConfigArchive(base_text(), {name: lut}), "show.zip")
                except BadInput as error:
                    self.assertRegex(str(error), "show.zip (needs more than|takes longer|brings down)")

    def test_luts_of_a_config_by_path_are_found_apart(self) -> None:
        self.assertEqual(named_luts(config_with_luts(), "config.ocio"), ["luts/curve.spi1d", "luts/lost.cube"])

    def test_a_config_of_50_mb(self) -> None:
        text = base_text() + "# " + "x" * 50_000_000
        with self.assertRaisesRegex(BadInput, "larger than 8 MB"):
            read_archive(text.encode(), "large.ocio")

    def test_names_that_are_no_utf8(self) -> None:
        broken = base_text().encode().replace(b"name: ACEScg\n", b"name: ACES\xe9cg\n")
        with self.assertRaisesRegex(BadInput, "not UTF-8 text"):
            read_archive(broken, "latin.ocio")

    def test_duplicate_names(self) -> None:
        twice = base_text().replace("name: Linear P3-D65\n", "name: ACEScg\n")
        with self.assertRaisesRegex(BadInput, "ACEScg"):
            load_config(twice)

    def test_a_view_on_a_space_that_is_not_there(self) -> None:
        view = "    - !<View> {name: Raw, colorspace: Raw}"
        broken = base_text().replace(view, "    - !<View> {name: Raw, colorspace: Lost}", 1)
        with self.assertRaisesRegex(BadInput, "Lost"):
            load_config(broken)
