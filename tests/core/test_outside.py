"""A config reads nothing outside its own archive, however it names it. Held by a tracer of what the process opens."""

import json
import os
import shutil
import subprocess
import sys
import tempfile
from pathlib import Path
from unittest import TestCase, mock

from django.conf import settings

from saltwort.core.engine import ConfigArchive, load_config, loading, space_processor
from saltwort.core.engine.outside import leads_out
from saltwort.core.errors import BadInput

COLOUR = [0.25, 0.5, 0.75]
CUBE = ("LUT_3D_SIZE 2\n" + f"{' '.join(map(str, COLOUR))}\n" * 8).encode()
REFERENCE = """<?xml version="1.0" encoding="UTF-8"?>
<ProcessList version="1.7" id="x"><Reference inBitDepth="32f" outBitDepth="32f" {} /></ProcessList>"""
CONFIG = """ocio_profile_version: 2
{head}
roles: {{default: raw, scene_linear: lin}}
displays: {{d: [!<View> {{name: v, colorspace: raw}}]}}
colorspaces:
  - !<ColorSpace> {{name: raw, isdata: true}}
  - !<ColorSpace> {{name: lin}}
  - !<ColorSpace> {{name: lut, to_scene_reference: !<GroupTransform> {{children: [!<FileTransform> {{src: {src}}}]}}}}
"""


def config(src: str, head: str = "", **files: bytes) -> ConfigArchive:
    named = {name.replace("_", "."): content for name, content in files.items()}
    return ConfigArchive(CONFIG.format(src=json.dumps(src), head=head), named)


def ways_out(folder: str) -> dict[str, ConfigArchive]:
    """Every way in which a config can name a file of the folder, each its own one: LUTs are cached by path."""
    up = "../" * 30 + folder.strip("/")

    def lut(attributes: str, encoding: str = "utf-8") -> bytes:
        return REFERENCE.replace("UTF-8", encoding).format(attributes).encode(encoding)

    entity = REFERENCE.format('path="&p;"').replace("<Proc", f'<!DOCTYPE a [<!ENTITY p "{folder}/17.cube">]>\n<Proc')
    return {
        "absolute": config(f"{folder}/0.cube"),
        "above": config(f"{up}/1.cube"),
        "absolute search path": config("2.cube", f"search_path: {folder}"),
        "second search path": config("3.cube", f"search_path: luts:{folder}"),
        "list of search paths": config("4.cube", f"search_path: [luts, {folder}]"),
        "search path above": config("5.cube", f"search_path: {up}"),
        "variable of the shell": config("$SALTWORT_DECOYS/6.cube"),
        "the same in braces": config("${SALTWORT_DECOYS}/7.cube"),
        "the same in per cent": config("%SALTWORT_DECOYS%/8.cube"),
        "the same in the search path": config("9.cube", "search_path: $SALTWORT_DECOYS"),
        "variable of both": config("$SALTWORT_DECOYS/10.cube", "environment: {SALTWORT_DECOYS: a}"),
        "variable of the config": config("$OWN/11.cube", f"environment: {{OWN: {folder}}}"),
        "variable of variables": config("$B/12.cube", f"environment: {{A: {folder}, B: $A}}"),
        "slash from a variable": config(f"$S{folder[1:]}/13.cube", "environment: {S: /}"),
        "repeated by an alias": config("14.cube", f"description: &f {folder}\nsearch_path: *f"),
        "reference": config("own.ctf", own_ctf=lut(f'path="{folder}/15.cube"')),
        "reference with a variable": config("own.ctf", own_ctf=lut('path="$SALTWORT_DECOYS/16.cube"')),
        "reference by an entity": config("own.ctf", own_ctf=entity.encode()),
        "reference above": config("own.ctf", own_ctf=lut(f'path="{up}/18.cube"')),
        "reference in a file called cube": config("own.cube", own_cube=lut(f'path="{folder}/19.cube"')),
        "reference in UTF-16": config("own.ctf", own_ctf=lut(f'path="{folder}/20.cube"', "utf-16")),
        "reference by its folder": config("own.ctf", own_ctf=lut(f'alias="21.cube" basePath="{folder}"')),
        "not in a cube, but any file": config(f"{folder}/secret.txt"),
    }


def outcome(archive: ConfigArchive) -> str:
    """`refused` when it does not load, `failed` when its LUT does not, else the colour that it gives."""
    try:
        loaded = load_config(archive, to_mend=True)  # the form that checks least
    except BadInput as error:
        return f"refused {error}"
    try:
        return str(space_processor(loaded, "lut", "lin").applyRGB([0.1, 0.2, 0.3]))
    except BadInput as error:
        return f"failed {error}"


def _report() -> None:
    """In the traced process: what comes of every way, with the first guard and without it."""
    ways = ways_out(os.environ["SALTWORT_DECOYS"])
    guarded = {name: outcome(archive) for name, archive in ways.items()}
    with mock.patch.object(loading, "check_named_files", lambda *_: None):
        unguarded = {name: outcome(archive) for name, archive in ways.items()}
    print(json.dumps([guarded, unguarded]))


class Outside(TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.decoys = Path(folder.name).resolve() / "decoys"
        self.decoys.mkdir()
        for number in range(30):
            (self.decoys / f"{number}.cube").write_bytes(CUBE)
        (self.decoys / "secret.txt").write_text("the password\n")

    def test_nothing_outside_is_opened(self) -> None:
        tracer, log = shutil.which("strace"), self.decoys.parent / "opened.txt"
        assert tracer, "there is no strace: run “apt-get install strace”"
        run = subprocess.run(
            [tracer, "-f", "-qq", "-s", "4096", "-e", "trace=%file", "-o", log, sys.executable, "-m", __name__],
            cwd=settings.BASE_DIR,
            env={**os.environ, "SALTWORT_DECOYS": str(self.decoys), "OCIO": f"{self.decoys}/config.ocio"},
            capture_output=True,
            text=True,
            check=True,
        )
        guarded, unguarded = json.loads(run.stdout)
        traced = log.read_text()
        self.assertIn("test_outside.py", traced, "the tracer saw nothing at all")
        self.assertEqual(
            [line for line in traced.splitlines() if str(self.decoys) in line and "execve" not in line], []
        )
        for name, said in guarded.items():
            with self.subTest(name):
                # What a variable of the shell would be is not known here, so such a path is plain and lacks its LUT.
                self.assertRegex(said, "^(refused|failed) ")
                self.assertNotIn("password", said)
                if "variable" not in name and "braces" not in name and "per cent" not in name:
                    self.assertRegex(said, "^(refused .* outside its own folder|failed .*own.ctf)|SALTWORT_DECOYS")
        for name, said in unguarded.items():
            with self.subTest(name, guard="the engine's door"):
                self.assertRegex(said, "^failed ")
                self.assertNotIn("password", said)

    def test_a_file_that_is_there_is_told_no_different_from_one_that_is_not(self) -> None:
        with mock.patch.object(loading, "check_named_files", lambda *_: None):
            there, missing = (outcome(config(f"{self.decoys}/{name}.cube")) for name in ("1", "x"))
        self.assertEqual(there.replace("/1.", "/x."), missing)

    def test_values_of_the_environment_are_not_told(self) -> None:
        with mock.patch.dict(os.environ, SALTWORT_DECOYS=str(self.decoys)):
            loaded = load_config(config("$SALTWORT_DECOYS.cube", "search_path: $SALTWORT_DECOYS"), to_mend=True)
        with self.assertRaises(BadInput) as refused:
            space_processor(loaded, "lut", "lin")
        self.assertNotIn(str(self.decoys), str(refused.exception))

    def test_what_stays_inside_still_works(self) -> None:
        inside = {
            "plain": ConfigArchive(config("a.cube").text, {"a.cube": CUBE}),
            "in a folder": ConfigArchive(config("luts/a.cube").text, {"luts/a.cube": CUBE}),
            "up and down again": ConfigArchive(config("../b/a.cube", "search_path: luts").text, {"b/a.cube": CUBE}),
            "second search path": ConfigArchive(config("a.cube", "search_path: one:two").text, {"two/a.cube": CUBE}),
            "variable": ConfigArchive(config("$W.cube", "environment: {W: a}").text, {"a.cube": CUBE}),
            "reference": ConfigArchive(
                config("d/own.ctf").text, {"d/own.ctf": REFERENCE.format('path="in.cube"').encode(), "in.cube": CUBE}
            ),
        }
        for name, archive in inside.items():
            with self.subTest(name):
                self.assertEqual(
                    space_processor(load_config(archive, to_mend=True), "lut", "lin").applyRGB([0.1, 0.2, 0.3]),
                    [0.25, 0.5, 0.7499999403953552],
                )

    def test_paths_that_lead_out(self) -> None:
        for path in ("/a", "\\a", "\\\\host\\a", "C:/a", "c:\\a", "c:a", "..", "../a", "a/../../b", "..\\a", "~/a"):
            self.assertTrue(leads_out(path), path)
        for path in ("a", "a/b", "a/../b", ".", "", "..a", "a..", "$HOME/a"):
            self.assertFalse(leads_out(path), path)


if __name__ == "__main__":
    _report()
