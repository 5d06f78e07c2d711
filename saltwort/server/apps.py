"""What is done once when Saltwort is loaded."""

from django.apps import AppConfig
from django.utils.module_loading import autodiscover_modules


class SaltwortConfig(AppConfig):
    name = "saltwort.server"

    def ready(self) -> None:
        """Load the modules that register what jobs do."""
        autodiscover_modules("operations", "intake", "rig")
