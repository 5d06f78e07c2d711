"""Damaged images, from a printed seed: each is taken in with facts that can be stored, or refused in a sentence."""

import json
import os
import random
import tempfile
from pathlib import Path
from unittest import TestCase

from saltwort.core.errors import BadInput
from saltwort.core.images.intake import take_in
from saltwort.core.names import LONGEST_TEXT, clean_text
from tests.samples import light, write

SEED = int(os.environ.get("SALTWORT_SEED", "13"))
MUTANTS = 60
"""Of each format."""
FORMATS = (
    ("png", "uint8"),
    ("png", "uint16"),
    ("jpg", "uint8"),
    ("tif", "uint8"),
    ("tif", "float"),
    ("exr", "half"),
    ("exr", "float"),
    ("hdr", "float"),
    ("dpx", "uint16"),
)


class Mutants(TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def test_damaged_files(self) -> None:
        print(f"mutants of images, seed {SEED}")
        chance = random.Random(SEED)
        for suffix, sample_type in FORMATS:
            whole = write(self.folder / f"whole.{suffix}", light(40, 30, peak=1.0), sample_type).read_bytes()
            for number in range(MUTANTS):
                file = self.folder / f"mutant.{suffix}"
                file.write_bytes(mutant(whole, chance))
                with self.subTest(suffix=suffix, sample_type=sample_type, number=number):
                    self.assert_taken_or_refused(file)

    def test_text_of_a_header_that_is_no_text(self) -> None:
        file = write(self.folder / "odd.dpx", light(40, 30, peak=1.0), "uint16", Software="PLACEHOLDER")
        file.write_bytes(file.read_bytes().replace(b"PLACEHOLDER", b"me\xff\xc7\x01you\n\xe9\xe9"))
        taken = take_in(file, file.name, self.folder / "store", copy=False)
        self.assertEqual(taken.facts["header"]["tags"]["Software"], "me?? you ??")

    def test_what_is_no_file_is_not_waited_for(self) -> None:
        pipe = self.folder / "pipe.png"
        os.mkfifo(pipe)
        for place in (pipe, Path("/dev/zero"), self.folder):
            with self.subTest(place.name), self.assertRaisesRegex(BadInput, "cannot be read: it is no plain file"):
                take_in(place, place.name, self.folder / "store", copy=False)

    def assert_taken_or_refused(self, file: Path) -> None:
        try:
            taken = take_in(file, file.name, self.folder / "store", copy=False)
        except BadInput as error:
            self.assertIn(file.name, str(error))
            self.assertNotIn(str(self.folder), str(error))
            return
        json.dumps(taken.facts, allow_nan=False).encode()


def mutant(whole: bytes, chance: random.Random) -> bytes:
    """Bytes changed, mostly in the header; or cut out, doubled, or cut off."""
    content = bytearray(whole)
    for _ in range(chance.randint(1, 12)):
        reach = len(content) if chance.random() < 0.4 else min(len(content), 2048)
        content[chance.randrange(4, max(5, reach))] = chance.choice((0, 1, 0x7F, 0x80, 0xFF, chance.randrange(256)))
    at, length = chance.randrange(4, len(content)), chance.randint(1, 64)
    match chance.randrange(6):
        case 0:
            del content[at : at + length]
        case 1:
            content[at:at] = content[at : at + length]
        case 2:
            del content[at:]
    return bytes(content)


class Text(TestCase):
    def test_text_can_be_stored_and_shown(self) -> None:
        for given, kept in (
            ("plain", "plain"),
            ("  two\r\nlines\t", "two lines"),
            ("\udcff\ud800", "??"),
            ("a\0b\x1b[31m", "a b [31m"),
            ("x" * 5000, "x" * LONGEST_TEXT),
        ):
            self.assertEqual(clean_text(given), kept)
