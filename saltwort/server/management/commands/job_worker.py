"""`job_worker`: do the jobs of a running Saltwort. `serve` starts it."""

import os
from typing import Any

from django.core.management import call_command
from django.core.management.base import BaseCommand

from saltwort.core.sandbox import end_with_parent

SERVER_VARIABLE = "SALTWORT_SERVER"


def server_has_ended() -> bool:
    """Have this process end with the server that started it; true where that is gone already."""
    server = os.environ.get(SERVER_VARIABLE)
    if not server:
        return False
    end_with_parent()
    return os.getppid() != int(server)


class Command(BaseCommand):
    help = "Do the jobs of a running Saltwort, and end with it."

    def handle(self, *args: Any, **options: Any) -> None:
        if server_has_ended():
            return
        call_command("db_worker", interval=0.2, startup_delay=False, reload=False, verbosity=0)
