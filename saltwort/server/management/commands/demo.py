"""`demo`: the project Lantern Quay."""

from typing import Any

from django.core.management.base import BaseCommand

from saltwort.demo.build import SLUG, build_demo
from saltwort.server.projects.models import Project


class Command(BaseCommand):
    help = "Build the demo project when there is none."

    def handle(self, *args: Any, **options: Any) -> None:
        if Project.objects.filter(slug=SLUG).exists():
            return
        self.stdout.write("Building the demo project Lantern Quay …")
        build_demo()
