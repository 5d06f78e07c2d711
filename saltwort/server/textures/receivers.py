"""What textures do when something happens elsewhere. Loaded at every start of the program."""

from collections.abc import Sequence

from django.dispatch import receiver

from saltwort.server.history.operations import rows_put_back
from saltwort.server.queries import among
from saltwort.server.textures.models import Texture, mark_behind


@receiver(rows_put_back, sender=Texture)
def behind_again(sender: type[Texture], keys: Sequence[int], **more: object) -> None:
    mark_behind(among("pk", keys))
