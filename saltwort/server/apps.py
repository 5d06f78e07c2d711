"""What is done once when Saltwort is loaded."""

from django.apps import AppConfig
from django.db.models.signals import post_migrate
from django.utils.module_loading import autodiscover_modules

from saltwort.server.kept import count_changes


class SaltwortConfig(AppConfig):
    name = "saltwort.server"

    def ready(self) -> None:
        """Load what the apps do when something happens in another, and have changes of the database counted."""
        autodiscover_modules("receivers")
        post_migrate.connect(count_changes, sender=self.apps.get_app_config("projects"))
