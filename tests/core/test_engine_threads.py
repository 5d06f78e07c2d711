"""Building and copying one config on several threads: a deadlock ends a process of its own, not the tests."""

import subprocess
import sys
from unittest import TestCase

from django.conf import settings

BOTH = """
from threading import Thread
from saltwort.core.engine import ConfigArchive, ViewChoice, load_config, view_processor
from saltwort.core.engine.colours import _text_of_colours
from tests.samples import base_archive
from saltwort.core.project import compose
from tests.samples import sample_setup
from dataclasses import replace
from saltwort.core.views import AddedView
added = (AddedView("sRGB - Display", "Film", "filmic"), AddedView("sRGB - Display", "Agx", "agx"))
config = load_config(compose(base_archive(), replace(sample_setup(), added_views=added), "x"))
def copy():
    for _ in range(300):
        _text_of_colours(config)
def build():
    for step in range(300):
        view_processor(config, "ACEScg", ViewChoice("sRGB - Display", ("Film", "Agx")[step % 2]), step / 100)
threads = [Thread(target=work) for work in (copy, build, copy, build)]
[thread.start() for thread in threads]
[thread.join() for thread in threads]
"""


class OneConfigOnSeveralThreads(TestCase):
    def test_copied_while_others_build_from_it(self) -> None:
        done = subprocess.run(
            [sys.executable, "-c", BOTH], cwd=settings.BASE_DIR, capture_output=True, text=True, timeout=120
        )
        self.assertEqual(done.returncode, 0, done.stderr[-500:])
