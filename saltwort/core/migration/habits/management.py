"""Scenes without colour management: no spaces said, gamma nodes, a tone mapping in the camera."""

from collections.abc import Iterator
from pathlib import PurePosixPath

from saltwort.core.migration.habits.output import is_gamma, output_mappings
from saltwort.core.migration.habits.registry import Seen, habit
from saltwort.core.migration.plan import Draft, DraftPicture, told
from saltwort.core.migration.spaces import says_nothing
from saltwort.core.migration.uses import GammaNode, PictureUse


@habit(
    "management-off",
    "Colour management is off",
    "Nothing says which light the numbers of the scene are, so every application decides by itself. Typed colours are "
    "taken for linear Rec.709, as unmanaged renderers have them.",
    "convert-colours",
)
def management_off(draft: Draft) -> Iterator[Seen]:
    """Documents that say no space, neither in all nor for a picture."""
    for path, document in draft.scene.documents.items():
        pictures = [picture for picture in draft.pictures if picture.use.document == path]
        silent = [picture for picture in pictures if not picture.use.is_data and _is_silent(picture)]
        colours = [colour for colour in draft.colours if colour.use.document == path]
        if document.space or document.fixed_space or not (pictures or colours):
            continue
        if any(not says_nothing(colour.use.said) for colour in colours) or (pictures and not silent):
            continue
        yield Seen(path, path, "The document says no colour space.")
        if silent:
            of = sum(not picture.use.is_data for picture in pictures)
            yield Seen(path, path, f"{len(silent)} of {of} pictures of colour say no space, or raw.")
        if gammas := sum(gamma.corrects for gamma in draft.scene.uses[path].gammas.values()):
            yield Seen(path, path, f"{gammas} gamma nodes decode by hand.")


def _is_silent(picture: DraftPicture) -> bool:
    return says_nothing(picture.use.said) or not picture.before.space


@habit(
    "gamma-node",
    "Gamma nodes decode by hand",
    "A power stands for the curve of the picture's encoding. With management on, the picture is decoded by its space, "
    "and the node decodes it once more: too dark and too saturated.",
    "gamma-out",
)
def gamma_nodes(draft: Draft) -> Iterator[Seen]:
    """Correcting gamma nodes on pictures of colour."""
    for use, gamma in _passing(draft):
        if gamma.corrects and not use.is_data:
            name = PurePosixPath(use.file).name
            yield Seen(use.document, gamma.node, f"Exponent {gamma.exponent:.4g} between {name} and {use.feeds}.")
    for colour in draft.colours:
        for gamma in colour.use.gammas:
            if gamma.corrects:
                shown = told(colour.use.values[:3])
                yield Seen(colour.use.document, gamma.node, f"Exponent {gamma.exponent:.4g} on the colour {shown}.")


@habit(
    "gamma-on-data",
    "Gamma nodes on data maps",
    "Roughness, masks and normals were never encoded. A power bends them: surfaces turn out glossier or duller.",
    "gamma-out",
)
def gamma_on_data(draft: Draft) -> Iterator[Seen]:
    """Correcting gamma nodes before inputs that take plain numbers."""
    for use, gamma in _passing(draft):
        if gamma.corrects and use.is_data:
            name = PurePosixPath(use.file).name
            yield Seen(use.document, gamma.node, f"Exponent {gamma.exponent:.4g} between {name} and {use.feeds}.")


@habit(
    "decoded-twice",
    "Pictures decoded twice",
    "The picture says an encoded space, so it is decoded when it is read; a gamma node then decodes it once more.",
    "gamma-out",
)
def decoded_twice(draft: Draft) -> Iterator[Seen]:
    """Gamma nodes behind pictures that are decoded already."""
    for picture in draft.pictures:
        exponent = picture.before.exponent
        corrects = any(gamma.corrects for way in picture.use.ways for gamma in way.gammas)
        if picture.before.space and exponent > 1 and corrects and not picture.before.is_data:
            yield Seen(
                picture.use.document,
                picture.use.node.path,
                f"{PurePosixPath(picture.use.file).name} says {picture.use.said or 'auto'}; then comes {exponent:.3g}.",
            )


@habit(
    "tone-mapping",
    "The camera or output maps tones",
    "The scene makes its picture by itself. With a view besides, tones are mapped twice: flat and washed out.",
    "tone-mapping-off",
)
def tone_mapping(draft: Draft) -> Iterator[Seen]:
    """Settings that map tones and are on."""
    for path, document in draft.scene.documents.items():
        for setting in output_mappings(document):
            value = told(setting.value) if isinstance(setting.value, tuple) else str(setting.value)
            what = "an exponent" if is_gamma(setting) else "a curve of tones"
            yield Seen(path, setting.path, f"{setting.name} is {value}: {what}.")


def _passing(draft: Draft) -> Iterator[tuple[PictureUse, GammaNode]]:
    for picture in draft.pictures:
        seen = set()
        for way in picture.use.ways:
            for gamma in way.gammas:
                if gamma.node not in seen:
                    seen.add(gamma.node)
                    yield picture.use, gamma
