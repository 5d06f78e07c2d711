"""What hand-offs do when something happens elsewhere. Loaded at every start of the program."""

from dataclasses import asdict

from django.dispatch import receiver

from saltwort.server.handoffs.models import HandOff, Station
from saltwort.server.projects.models import Project, project_made


@receiver(project_made)
def add_first_stations(sender: type[Project], project: Project, **more: object) -> None:
    """The shortest chain: a renderer that hands to a compositor."""
    from saltwort.core.stations import COMPOSITOR, RENDERER  # which takes longer to load than most commands take

    first, second = (
        Station.objects.create(project=project, position=position, **asdict(station))
        for position, station in enumerate((RENDERER, COMPOSITOR))
    )
    HandOff.objects.create(project=project, giver=first, taker=second)
