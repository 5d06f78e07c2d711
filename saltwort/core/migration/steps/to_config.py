"""Names of spaces of one config made those of another, by what they mean."""

from collections.abc import Iterator
from dataclasses import dataclass, replace
from pathlib import PurePosixPath

from saltwort.core.migration.formats.registry import format_of
from saltwort.core.migration.graph import SetSpace
from saltwort.core.migration.plan import Change, Draft, step
from saltwort.core.migration.spaces import meant_by, says_nothing
from saltwort.core.textures.evidence import data_space

KEY = "to-config"


@dataclass(frozen=True)
class ToConfig:
    """`most` is the mean ΔE 2000 up to which a space that is only near is taken."""

    most: float = 0.1


@step(
    KEY,
    "Rename spaces by meaning",
    "Says for each space of another config the space of this one with the same colours.",
    ToConfig,
    15,
)
def take(draft: Draft, settings: ToConfig) -> Iterator[Change]:
    """Names that this config lacks, or that mean something else in it."""
    for picture in draft.pictures:
        use = picture.use
        document = draft.scene.documents[use.document]
        if says_nothing(use.said) or document.fixed_space:
            continue
        of = f"{PurePosixPath(use.file).name} on {use.feeds}"
        meant = meant_by(draft.config, use.said, draft.old)
        if meant.space is None:
            draft.leave(KEY, use.document, of, f"Nobody can tell what “{use.said}” means: {meant.how}.")
            continue
        if meant.difference is not None and meant.difference > settings.most:
            draft.leave(
                KEY, use.document, of, f"The nearest to “{use.said}” is {meant.space}, ΔE {meant.difference:.2g} away."
            )
            continue
        said = format_of(use.document).space_name(draft.config, meant.space, use.node)
        if said == picture.said:
            continue
        draft.edit(use.document, SetSpace(use.node.path, use.input, said))
        is_data = meant.space == data_space(draft.config)
        picture.reading = replace(picture.reading, space="" if is_data else meant.space)
        picture.said = said
        yield Change(KEY, use.document, of, use.said, said, f"The same colours, told {meant.how}.")
