"""Files worked on by several workers through a real Redis server, one of which is killed."""

import json
import os
import shutil
import signal
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from unittest import TestCase

from django.conf import settings
from redis import Redis
from redis.exceptions import ConnectionError as NoConnection
from rq import Queue, Worker
from rq.registry import FinishedJobRegistry

from tests.api.test_serve import PATIENCE, free_port

FILES = 14

# What the machine that runs Saltwort does when somebody orders a conversion, in a process of its own.
ORDER = """
import json, sys, django
django.setup()
from pathlib import Path
from django.core.management import call_command
from saltwort.server.conversions.operations import Order, order_conversion
from saltwort.server.images.operations import store_file
from saltwort.server.jobs.operations import run
from saltwort.server.projects.operations import create_project
from saltwort.server.textures.operations import add_texture
from tests.samples import light, write
call_command("migrate", verbosity=0)
project = create_project("Quay")
for seed in range(int(sys.argv[2])):
    file = write(Path(sys.argv[1]) / f"{seed}.png", light(700, 900, peak=1.0, seed=seed), "uint8")
    add_texture(project, f"wall_{seed}_col.png", store_file(file, file.name))
conversion = order_conversion(project, Order("ACEScg", "exr-half"))
run.func(conversion.job_id)
conversion.job.refresh_from_db()
print(json.dumps({
    "state": conversion.job.state,
    "message": conversion.job.message,
    "files": [
        [file.state, file.target, file.figures and file.figures["largest_error"]] for file in conversion.files.all()
    ],
    "folder": str(conversion.folder),
}))
"""


# The same for a sequence of frames that are delivered as pictures with the view.
DELIVER = """
import json, sys, django
django.setup()
from pathlib import Path
from django.conf import settings
from django.core.management import call_command
from saltwort.server.jobs.operations import run
from saltwort.server.outputs.operations import make_output
from saltwort.server.projects.operations import create_project
from saltwort.server.scene.sequences import add_folder
from tests.samples import light, write
call_command("migrate", verbosity=0)
project = create_project("Quay")
shot = Path(sys.argv[1]) / "shot"
for number in range(1, int(sys.argv[2]) + 1):
    write(shot / f"quay.{number:04}.exr", light(90, 160, seed=number), "half")
settings.READABLE_FOLDERS = [shot]
(render,) = add_folder(project, str(shot))
run.func(project.jobs.get().pk)
output = make_output(project, "still", {}, render, frames="all")
run.func(output.job_id)
output.job.refresh_from_db()
print(json.dumps({
    "state": output.job.state,
    "message": output.job.message,
    "files": [frame.name for frame in output.frames.filter(state="made")],
    "folder": str(output.folder),
}))
"""

# A worker that goes down between taking a file off the queue and saying so, played by whoever empties the queue.
LOST = """
import django
django.setup()
import django_rq
from saltwort.server.conversions.operations import convert_file
from saltwort.server.jobs import remote
remote.LEASE_SECONDS = 1
machines = remote.Machines(convert_file)
machines.begin({"source": "a.png"})
queue = django_rq.get_queue("default")
queue.connection.lpop(queue.key)
while not queue.count:
    assert machines.ended() == []
print(f"handed out again, {queue.count} in the queue")
for _ in range(20):
    machines.ended()
print(f"and left there, {queue.count} in the queue")
print(f"{len(machines.withdrawn())} taken back, {queue.count} in the queue")
machines.begin({"source": "b.png"})
queue.connection.shutdown(nosave=True)
try:
    with machines:
        machines.ended()
except Exception as error:
    print(type(error).__name__, "does not answer" in str(error))
"""


class SeveralMachines(TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.port = free_port()
        self.environment = {
            **os.environ,
            "SALTWORT_VAR": str(self.folder / "var"),
            "SALTWORT_REDIS": f"redis://127.0.0.1:{self.port}/0",
            "DJANGO_SETTINGS_MODULE": "saltwort.server.settings",
        }

    def start(self, *command: str, quiet: bool = True) -> subprocess.Popen[str]:
        output = subprocess.DEVNULL if quiet else subprocess.PIPE
        process = subprocess.Popen(
            command, cwd=settings.BASE_DIR, env=self.environment, stdout=output, stderr=output, text=True
        )
        self.addCleanup(process.wait)
        self.addCleanup(process.kill)
        return process

    def start_redis(self) -> Redis:
        server = shutil.which("redis-server")
        assert server, "there is no redis-server: run “apt-get install redis-server”"
        self.start(server, "--port", str(self.port), "--bind", "127.0.0.1", "--save", "", "--dir", str(self.folder))
        redis = Redis(port=self.port)

        def answers() -> bool:
            try:
                return bool(redis.ping())
            except NoConnection:
                return False

        self.wait_for(answers, "the Redis server to answer")
        self.addCleanup(redis.close)
        return redis

    def wait_for(self, state: Callable[[], object], what: str) -> None:
        deadline = time.monotonic() + PATIENCE
        while not state():
            self.assertLess(time.monotonic(), deadline, f"waited in vain for {what}")
            time.sleep(0.05)

    def order(self) -> subprocess.Popen[str]:
        return self.start(sys.executable, "-c", ORDER, str(self.folder), str(FILES), quiet=False)

    def test_each_file_is_converted_once_and_a_killed_workers_are_taken_over(self) -> None:
        redis = self.start_redis()
        workers = [self.start(sys.executable, "manage.py", "file_worker") for _ in range(2)]
        self.wait_for(lambda: len(Worker.all(connection=redis)) == 2, "both workers")
        ordered = self.order()
        # Once both have done something, one goes down with the file it is at.
        self.wait_for(
            lambda: all(worker.successful_job_count for worker in Worker.all(connection=redis)),
            "both to have done some",
        )
        victim = workers[0]
        children = Path(f"/proc/{victim.pid}/task/{victim.pid}/children")
        self.wait_for(lambda: children.read_text(encoding="utf-8").strip(), "the first to work on a file")
        for pid in (*map(int, children.read_text(encoding="utf-8").split()), victim.pid):
            os.kill(pid, signal.SIGKILL)
        output, errors = ordered.communicate(timeout=2 * PATIENCE)
        self.assertEqual(ordered.returncode, 0, errors)
        done = json.loads(output.splitlines()[-1])
        self.assertEqual(done["state"], "done", done["message"])
        self.assertRegex(done["message"], f"^{FILES} files are converted")
        self.assertEqual({state for state, _, _ in done["files"]}, {"converted"})
        self.assertTrue(all(error < 2**-11 for _, _, error in done["files"]))
        standing = sorted(path.name for path in Path(done["folder"]).rglob("*.exr") if not path.name.startswith("."))
        self.assertEqual(standing, sorted(target for _, target, _ in done["files"]))
        # Exactly once: as many pieces of work were finished as there are files, and none is left.
        queue = Queue(connection=redis)
        self.assertEqual((FinishedJobRegistry(queue=queue).count, queue.count), (FILES, 0))

    def test_frames_are_read_and_delivered_by_all_machines(self) -> None:
        redis = self.start_redis()
        workers = [self.start(sys.executable, "manage.py", "file_worker") for _ in range(2)]
        self.wait_for(lambda: len(Worker.all(connection=redis)) == len(workers), "both workers")
        ordered = self.start(sys.executable, "-c", DELIVER, str(self.folder), str(FILES), quiet=False)
        output, errors = ordered.communicate(timeout=2 * PATIENCE)
        self.assertEqual(ordered.returncode, 0, errors)
        done = json.loads(output.splitlines()[-1])
        self.assertEqual((done["state"], len(done["files"])), ("done", FILES), done["message"])
        self.assertEqual(sorted(path.name for path in Path(done["folder"]).iterdir()), sorted(done["files"]))
        self.assertTrue(all(worker.successful_job_count for worker in Worker.all(connection=redis)))

    def test_a_file_that_vanished_from_the_queue_is_handed_out_again(self) -> None:
        self.start_redis()
        process = self.start(sys.executable, "-c", LOST, quiet=False)
        output, errors = process.communicate(timeout=PATIENCE)
        self.assertEqual(process.returncode, 0, errors)
        said = [
            "handed out again, 1 in the queue",
            "and left there, 1 in the queue",
            "1 taken back, 0 in the queue",
            "BadInput True",
        ]
        self.assertEqual(output.splitlines(), said)

    def test_a_redis_server_that_does_not_answer_is_told(self) -> None:
        output, errors = self.order().communicate(timeout=PATIENCE)
        done = json.loads(output.splitlines()[-1])
        self.assertEqual(done["state"], "failed", errors)
        self.assertIn("does not answer. Start it, or start Saltwort without SALTWORT_REDIS", done["message"])
        worker = subprocess.run(
            [sys.executable, "manage.py", "file_worker"],
            cwd=settings.BASE_DIR,
            env={**self.environment, "SALTWORT_REDIS": ""},
            capture_output=True,
            text=True,
        )
        self.assertEqual(worker.returncode, 1)
        self.assertIn("Set SALTWORT_REDIS", worker.stderr)
