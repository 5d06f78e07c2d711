"""Files read in a space that does not fit what they hold, by their name, their header, or their pixels."""

import math
from collections.abc import Iterator, Sequence
from functools import lru_cache

import PyOpenColorIO as ocio

from saltwort.core.changes import Change
from saltwort.core.engine import apply_to_colour, load_config, space_processor
from saltwort.core.findings.registry import BLOCKER, CAUTION, NOTE, CheckedTexture, Fix, Problem, Subjects, check
from saltwort.core.findings.space_fixes import declares_another, mending
from saltwort.core.images import Facts
from saltwort.core.images.formats import formats_named
from saltwort.core.textures.declared import declared
from saltwort.core.textures.evidence import (
    best_colour,
    data_space,
    decodes_a_display,
    holds_light,
    named_space,
    same_primaries,
)
from saltwort.core.textures.kinds import DATA, MAP_KINDS, letter_at_end
from saltwort.core.textures.pixel_evidence import UNIT_VECTORS, green_points_down, is_flat


@check("texture.data-read-as-colour", BLOCKER)
def data_read_as_colour(subjects: Subjects) -> Iterator[Problem]:
    """A map of plain numbers, such as roughness, is decoded as if it were a colour."""
    for texture in subjects.textures:
        kind, space = texture.kind, _space(subjects, texture)
        if kind and kind.kind.group == DATA and space and not space.isData():
            yield Problem(
                texture.path,
                "Data read as colour",
                f"{kind.told}, whose numbers are no colour. Read as "
                f"{space.getName()} they are decoded first, and every value in between comes out wrong.",
                *mending(subjects, texture, data_space(subjects.config)),
            )


@check("texture.colour-read-as-data", BLOCKER)
def colour_read_as_data(subjects: Subjects) -> Iterator[Problem]:
    """A colour or light map is taken as plain numbers and never decoded."""
    for texture in subjects.textures:
        kind, space = texture.kind, _space(subjects, texture)
        if kind and kind.kind.group != DATA and space and space.isData():
            yield Problem(
                texture.path,
                "Colour read as data",
                f"{kind.told}, but {space.getName()} leaves its numbers as they "
                "are: encoded values are taken for light, and primaries are not converted.",
                *mending(subjects, texture, best_colour(texture.evidence)),
            )


@check("texture.unknown-space", BLOCKER)
def unknown_space(subjects: Subjects) -> Iterator[Problem]:
    """A file is set by hand to a space that the config does not have, so it cannot be read."""
    for texture in subjects.textures:
        if _space(subjects, texture) is None:
            yield Problem(
                texture.path,
                "Space is gone",
                f"It is set by hand to {texture.assignment.space}, which the config does not have. Set another space, "
                "or go back to the rules.",
                *mending(subjects, texture, texture.verdict.space),
            )


@check("texture.looks-like-normals", CAUTION)
def looks_like_normals(subjects: Subjects) -> Iterator[Problem]:
    """A file whose pixels are unit vectors is decoded as a colour, though its name does not say normal."""
    for texture in subjects.textures:
        share, space = texture.facts.stats.unit_vectors, _space(subjects, texture)
        if texture.kind or space is None or space.isData() or share < UNIT_VECTORS or is_flat(texture.facts):
            continue
        yield Problem(
            texture.path,
            "Looks like a normal map",
            f"{share:.0%} of its pixels are vectors of length 1, as only a normal map has them, and no word in the "
            f"name says so. Read as {space.getName()} the vectors bend.",
            *_as_normals(subjects, texture),
        )


def _as_normals(subjects: Subjects, texture: CheckedTexture) -> tuple[Fix | None, tuple[Fix, ...]]:
    """The ways to have a file read as data, with the one that says besides what it is."""
    space = data_space(subjects.config)
    fix, also = mending(subjects, texture, space)
    if fix is None or space is None:
        return None, ()
    change = Change(texture.path, texture.assignment.space, f"{space}, map kind normal")
    return Fix("set-kind", "Set the map kind to normal", {"path": texture.path, "kind": "normal"}, (change,)), (
        fix,
        *also,
    )


@check("texture.primaries-not-declared", CAUTION)
def primaries_not_declared(subjects: Subjects) -> Iterator[Problem]:
    """A colour map is linear light, and neither its header nor its name says in which primaries."""
    for texture in subjects.textures:
        space = _space(subjects, texture)
        is_colour = (texture.kind is None or texture.kind.kind.group != DATA) and not texture.facts.stats.equal_channels
        if space is None or texture.assignment.reason.kind == "pin" or not is_colour:
            continue
        if not texture.verdict.primaries_are_assumed or not holds_light(subjects.config, space.getName()):
            continue
        other = _other_primaries(subjects, space.getName())
        if other:
            yield Problem(
                texture.path,
                "Primaries not declared",
                "Its pixels are linear, but nothing says in which primaries. "
                f"{_what_to_look_for(subjects, space, other)} Look at both side by side, or ask whoever made it.",
                None,
                _either(subjects, texture, other),
            )


def _other_primaries(subjects: Subjects, space: str) -> str:
    """What a linear file that is read in a space is most often instead: Rec.709, or else the working space."""
    rec709 = subjects.config.getColorSpace("lin_rec709_scene")
    tried = [rec709.getName() if rec709 else "", subjects.setup.working_space]
    return next((name for name in tried if name and not same_primaries(subjects.config, name, space)), "")


def _what_to_look_for(subjects: Subjects, space: ocio.ColorSpace, other: str) -> str:
    """Numbers that are read in wider primaries show more saturated colours."""
    name = space.getName()
    is_wider = min(apply_to_colour(space_processor(subjects.config, name, other), (1.0, 0.0, 0.0))) < 0
    looks = "too saturated" if is_wider else "too dull"
    return f"If it looks {looks} read as {name}, it is {other}."


def _either(subjects: Subjects, texture: CheckedTexture, other: str) -> tuple[Fix, ...]:
    """To say that it is right as it is, or that it is the other."""
    if not subjects.offers_fixes:
        return ()
    space, path = texture.assignment.space, texture.path
    return tuple(
        Fix(
            "pin-texture",
            f"It is {name}",
            {"path": path, "space": name},
            (Change(path, space, f"{name}, set by hand"),),
        )
        for name in (space, other)
    )


@check("texture.green-points-down", NOTE)
def normals_with_green_down(subjects: Subjects) -> Iterator[Problem]:
    """A normal map's green points down, and most renderers expect it to point up."""
    for texture in subjects.textures:
        if green_points_down(texture.kind, texture.facts.stats):
            yield Problem(
                texture.path,
                "Normal map, green points down",
                "Its red and green describe one surface only if green points down the picture. Most renderers expect "
                "up: bumps become dents. Flip green where the map is loaded, or convert the file with green flipped.",
            )


@check("texture.eight-bit-normals", NOTE)
def eight_bit_normals(subjects: Subjects) -> Iterator[Problem]:
    """A normal map has 8 bits, which show as bands in mirror reflections."""
    for texture in subjects.textures:
        kind, facts = texture.kind, texture.facts
        if kind and kind.kind.key == "normal" and facts.header.bit_depth == "8-bit" and _are_normals(facts):
            yield Problem(
                texture.path,
                "Normal map in 8 bits",
                f"8 bits turn a normal by up to {STEP_ANGLE:.2f}° at a time. A mirror doubles that: smooth surfaces "
                "show bands in their reflections. For polished surfaces, export it in 16 bits.",
            )


def _are_normals(facts: Facts) -> bool:
    return facts.stats.unit_vectors >= UNIT_VECTORS and not is_flat(facts)


STEP_ANGLE = math.degrees(2 / 255)
"""A step of one code in x or y, where the normal points straight out."""


@check("texture.data-tagged-as-colour", NOTE)
def data_tagged_as_colour(subjects: Subjects) -> Iterator[Problem]:
    """A map of plain numbers has a header that declares a colour space; it is right as read here."""
    for texture in subjects.textures:
        kind, space = texture.kind, _space(subjects, texture)
        said = declared(subjects.config, texture.facts.header)
        if said is None or space is None or not space.isData() or kind is None or kind.kind.group != DATA:
            continue
        told = subjects.config.getColorSpace(said.space) if said.space else None
        if told is not None and told.isData():
            continue
        yield Problem(
            texture.path,
            "Data tagged as colour",
            f"{kind.told}, but its header declares colour. {said.says} It is read as {space.getName()} here, which is "
            "right. An application that follows the header decodes it: set it to raw there, or convert the file, which "
            "leaves the tag out.",
        )


@check("texture.letter-in-name", NOTE)
def letter_in_name(subjects: Subjects) -> Iterator[Problem]:
    """A single letter ends the name, which may mean more than one kind of map; no word tells which."""
    for texture in subjects.textures:
        letter = None if texture.kind else letter_at_end(texture.path)
        if letter is None or texture.facts.stats.unit_vectors >= UNIT_VECTORS:
            continue
        labels = [MAP_KINDS[key].label for key in letter.kinds]
        meanings = _likeliest_first(subjects, texture, letter.kinds)
        fixes = [_as_kind(texture, key) for key in meanings] if subjects.offers_fixes else []
        yield Problem(
            texture.path,
            "A letter says what it holds",
            f"“{letter.written}” at the end of its name may mean {' or '.join(labels)}; it is not treated as a word. "
            f"The file is read as {texture.assignment.space}. Set its map kind, or write the word out.",
            fixes[0] if fixes else None,
            tuple(fixes[1:]),
        )


def _likeliest_first(subjects: Subjects, texture: CheckedTexture, kinds: Sequence[str]) -> list[str]:
    """The kinds, those first that hold what the file seems to hold."""
    verdict = texture.verdict
    likeliest = verdict.space or next((candidate.space for candidate in verdict.candidates), None)
    is_data = likeliest == data_space(subjects.config)
    return sorted(kinds, key=lambda key: (MAP_KINDS[key].group == DATA) != is_data)


def _as_kind(texture: CheckedTexture, key: str) -> Fix:
    change = Change(texture.path, "no map kind", f"map kind {MAP_KINDS[key].label}")
    return Fix("set-kind", f"It is {MAP_KINDS[key].label}", {"path": texture.path, "kind": key}, (change,))


@check("texture.name-space-mismatch", CAUTION)
def name_space_mismatch(subjects: Subjects) -> Iterator[Problem]:
    """The path names one space, and the file is read in another."""
    for texture, named in _of(subjects, "name-space-mismatch"):
        yield Problem(
            texture.path,
            "Name and space disagree",
            f"Its path names {named}, but it is read as {texture.assignment.space}. Rename it, or read it as it says.",
            *mending(subjects, texture, named),
        )


@check("texture.names-a-trimmed-space", CAUTION)
def names_a_trimmed_space(subjects: Subjects) -> Iterator[Problem]:
    """The path names a space that was removed from the config, so the rules no longer find it."""
    if subjects.setup.trim is None or not subjects.base_text:
        return
    whole = _whole_config(subjects.base_text)
    for texture in subjects.textures:
        named = named_space(whole, texture.path)
        if named and subjects.config.getColorSpace(named) is None:
            yield Problem(
                texture.path,
                "Names a space that was removed",
                f"Its path names {named}, which is no longer in the config, so it is read as "
                f"{texture.assignment.space}. Keep {named} in Remove unused.",
            )


@lru_cache(maxsize=4)
def _whole_config(base_text: str) -> ocio.Config:
    """The base config before it was trimmed, for its names alone."""
    return load_config(base_text)


@check("texture.encoded-read-as-linear", BLOCKER)
def encoded_read_as_linear(subjects: Subjects) -> Iterator[Problem]:
    """A file with encoded values is read as light, so it comes out too bright and pale."""
    for texture, space in _of(subjects, "encoded-read-as-linear"):
        yield Problem(
            texture.path,
            "Encoded values read as light",
            f"It speaks for {space}: {_said(texture, space)} Read as {texture.assignment.space}, middle tones come out "
            "several times too bright.",
            *mending(subjects, texture, space),
        )


@check("texture.linear-read-as-encoded", BLOCKER)
def linear_read_as_encoded(subjects: Subjects) -> Iterator[Problem]:
    """A file with linear light is decoded once more, so it comes out too dark and saturated."""
    for texture, space in _of(subjects, "linear-read-as-encoded"):
        yield Problem(
            texture.path,
            "Light decoded once more",
            f"It speaks for {space}: {_said(texture, space)} Read as {texture.assignment.space} it is decoded a second "
            "time, and comes out too dark.",
            *mending(subjects, texture, space),
        )


@check("texture.wrong-primaries", CAUTION)
def wrong_primaries(subjects: Subjects) -> Iterator[Problem]:
    """A file is linear, and so is the space it is read in, but with other primaries: every colour is shifted."""
    for texture, space in _of(subjects, "wrong-primaries"):
        yield Problem(
            texture.path,
            "Read with other primaries",
            f"It speaks for {space}: {_said(texture, space)} {texture.assignment.space} is linear too, but its "
            "primaries are others, so every saturated colour is shifted.",
            *mending(subjects, texture, space),
        )


@check("texture.header-disagrees", CAUTION)
def header_disagrees(subjects: Subjects) -> Iterator[Problem]:
    """The file's header declares another space than the one it is read in."""
    for texture, space in _of(subjects, "header-disagrees"):
        yield Problem(
            texture.path,
            "Header disagrees",
            f"{_said(texture, space)} That is {space}, and it is read as {texture.assignment.space}. Headers are "
            "sometimes written by habit: look at both.",
            *mending(subjects, texture, space),
        )


@check("texture.space-not-in-config", CAUTION)
def space_not_in_config(subjects: Subjects) -> Iterator[Problem]:
    """The file's header declares a space that the config does not have, and it is read in another."""
    for texture in subjects.textures:
        said, space = declared(subjects.config, texture.facts.header), _space(subjects, texture)
        if said is None or said.space is not None or space is None or space.isData():
            continue
        yield declares_another(subjects, said, texture.path, space.getName())


@check("texture.looks-like-colour", CAUTION)
def looks_like_colour(subjects: Subjects) -> Iterator[Problem]:
    """A word in the name says data, but all else speaks for a colour: words like arm or id mean other things too."""
    for texture in subjects.textures:
        kind, space = texture.kind, _space(subjects, texture)
        if kind is None or kind.kind.group != DATA or space is None or not space.isData():
            continue
        if (favoured := texture.verdict.space) and not subjects.config.getColorSpace(favoured).isData():
            yield Problem(
                texture.path,
                "Looks like a colour",
                f"{kind.told}, but the file looks like {favoured}: "
                f"{_said(texture, favoured)} Read as {space.getName()}, its colours are taken for light as they are.",
                *mending(subjects, texture, favoured),
            )


def _of(subjects: Subjects, disagreement: str) -> Iterator[tuple[CheckedTexture, str]]:
    """The textures with one disagreement, and the space that speaks against theirs."""
    for texture in subjects.textures:
        found = _disagreement(subjects.config, texture)
        if found and found[0] == disagreement:
            yield texture, found[1]


def _disagreement(config: ocio.Config, texture: CheckedTexture) -> tuple[str, str] | None:
    """How a texture's evidence disagrees with its space, by one name, and for which space it speaks. None where it
    does not, and for data, which has checks of its own."""
    assigned = config.getColorSpace(texture.assignment.space)
    if (
        assigned is None
        or assigned.isData()
        or decodes_a_display(config, assigned.getName())
        or (texture.kind and texture.kind.kind.group == DATA)
    ):
        return None
    named = named_space(config, texture.path)
    if named and config.getCanonicalName(named) != assigned.getName():
        return "name-space-mismatch", named
    said = declared(config, texture.facts.header)
    told = said.space if said else None
    favoured = texture.verdict.space if texture.verdict.is_sure else told
    if favoured is None or favoured == assigned.getName() or config.getColorSpace(favoured).isData():
        return None
    was_linear, speaks_linear = holds_light(config, assigned.getName()), holds_light(config, favoured)
    if was_linear and speaks_linear:
        is_said = favoured == told and not same_primaries(config, assigned.getName(), favoured)
        return ("wrong-primaries", favoured) if is_said else None
    if was_linear != speaks_linear and texture.verdict.is_sure:
        return ("encoded-read-as-linear" if was_linear else "linear-read-as-encoded"), favoured
    return ("header-disagrees", favoured) if favoured == told else None


def _said(texture: CheckedTexture, space: str) -> str:
    return " ".join(piece.says for piece in texture.evidence if piece.favours == space)


def _space(subjects: Subjects, texture: CheckedTexture) -> ocio.ColorSpace | None:
    return subjects.config.getColorSpace(texture.assignment.space)


@check("texture.wrong-extension", CAUTION)
def wrong_extension(subjects: Subjects) -> Iterator[Problem]:
    """A file is of another format than its extension says: rules go by the extension, applications by either."""
    for texture in subjects.textures:
        named, found = formats_named(texture.path), texture.facts.header.format
        if named and found not in named:
            yield Problem(
                texture.path,
                f"{found} file named as {named[0]}",
                f"Its content is {found}. File rules read the extension, so it may get a space meant for {named[0]} "
                "files, and some applications do not open it. Rename it, or save it again in the format of its name.",
            )


@check("texture.unreadable", CAUTION)
def unreadable(subjects: Subjects) -> Iterator[Problem]:
    """A file that was brought could not be read, and was left out."""
    for file in subjects.unreadable:
        yield Problem(
            file.path,
            "File could not be read",
            f"{file.reason} Until a readable file comes under this path, renderers and this project see different "
            "textures.",
            Fix(
                "forget-file",
                "Remove it from the list",
                {"path": file.path},
                (Change(file.path, "left out", "not expected"),),
            ),
        )
