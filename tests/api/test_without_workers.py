"""Saltwort where nothing that talks to Redis is installed."""

import os
import subprocess
import sys
from unittest import TestCase

from django.conf import settings


class WithoutWorkers(TestCase):
    """What talks to Redis comes with `saltwort[workers]`, which few install."""

    def without(self, program: str, **variables: str) -> subprocess.CompletedProcess[str]:
        hide = "import sys\nfor name in ('redis', 'rq', 'django_rq', 'django_tasks_rq'): sys.modules[name] = None\n"
        hide += "from importlib import util\nfound = util.find_spec\n"
        hide += "util.find_spec = lambda name, *more: None if name == 'django_tasks_rq' else found(name, *more)\n"
        environment = {**os.environ, "DJANGO_SETTINGS_MODULE": "saltwort.server.settings", **variables}
        return subprocess.run(
            [sys.executable, "-c", hide + program],
            cwd=settings.BASE_DIR,
            env=environment,
            capture_output=True,
            text=True,
        )

    def test_all_else_is_there(self) -> None:
        done = self.without("from saltwort.__main__ import main; sys.argv = ['saltwort']; main()")
        self.assertIn("file_worker", done.stdout, done.stderr)

    def test_asked_for_redis_it_says_what_to_install(self) -> None:
        done = self.without("import django; django.setup()", SALTWORT_REDIS="redis://localhost:1/0")
        self.assertIn("Install saltwort[workers].", done.stderr)
