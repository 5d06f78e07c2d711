"""`file_worker`: work on files for a Saltwort that runs on another machine, or on this one."""

from typing import Any

from django.conf import settings
from django.core.management import call_command
from django.core.management.base import BaseCommand, CommandError


class Command(BaseCommand):
    help = "Work on files that Saltwort hands out through the Redis server that SALTWORT_REDIS names."

    def handle(self, *args: Any, **options: Any) -> None:
        if not settings.REDIS_URL:
            raise CommandError("Set SALTWORT_REDIS to the Redis server that Saltwort uses, as redis://host:6379/0.")
        from redis.exceptions import RedisError  # few have it: it comes with saltwort[workers]

        try:
            call_command(
                "rqworker", settings.FILE_QUEUE, job_class="django_tasks_rq.Job", verbosity=options["verbosity"]
            )
        except RedisError as error:
            raise CommandError(f"The Redis server at {settings.REDIS_URL} does not answer: {error}") from error
