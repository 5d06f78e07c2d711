"""`job_worker`: do the jobs of a running Saltwort. `serve` starts it."""

import os
from typing import Any

from django.core.management import call_command
from django.core.management.base import BaseCommand

from saltwort.core.apart import end_with_parent

SERVER_VARIABLE = "SALTWORT_SERVER"


class Command(BaseCommand):
    help = "Do the jobs of a running Saltwort, and end with it."

    def handle(self, *args: Any, **options: Any) -> None:
        server = os.environ.get(SERVER_VARIABLE)
        if server:
            end_with_parent()
            if os.getppid() != int(server):  # it has ended already
                return
        call_command("db_worker", interval=0.2, startup_delay=False, reload=False, verbosity=0)
