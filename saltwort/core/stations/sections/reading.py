"""In which space the station reads what it is fed: textures, or renders; and then the next one what this one wrote."""

from collections.abc import Iterator

from saltwort.core.stations.abilities.colour_by import COLOUR_BY, ICC, LUT, SRGB, loads_config
from saltwort.core.stations.abilities.default_input import DEFAULT_INPUT, ONE_SPACE
from saltwort.core.stations.abilities.depth_decides import DEPTH_DECIDES
from saltwort.core.stations.abilities.file_rules import FOLLOWS_FILE_RULES
from saltwort.core.stations.abilities.hands_on import HANDS_ON, TEXTURES
from saltwort.core.stations.abilities.knows_chromaticities import KNOWS_CHROMATICITIES
from saltwort.core.stations.abilities.knows_cicp import KNOWS_CICP
from saltwort.core.stations.abilities.knows_icc import KNOWS_ICC
from saltwort.core.stations.abilities.knows_interop_ids import KNOWS_INTEROP_IDS
from saltwort.core.stations.abilities.name_tokens import NAME_TOKENS
from saltwort.core.stations.abilities.own_rules import OWN_RULES
from saltwort.core.stations.abilities.per_file_override import PER_FILE_OVERRIDE
from saltwort.core.stations.abilities.scene_documents import MATERIALX, NONE, SCENE_DOCUMENTS, USD
from saltwort.core.stations.abilities.separate_transfer import SEPARATE_TRANSFER
from saltwort.core.stations.abilities.takes import PICTURES, TAKES
from saltwort.core.stations.sheet import Chain, Level, Setting, alpha_setting, section
from saltwort.core.stations.station import READS_TEXTURES, Station
from saltwort.core.stations.texture_table import WRONG_SPACE, curve_and_primaries, needs_hand, texture_row

MOST_EXCEPTIONS = 100
"""Textures that stand on the sheet itself; the table has them all."""


@section(30, "reading", "Reading")
def reading(chain: Chain) -> Iterator[Setting]:
    station = chain.station
    yield from _textures(chain) if station.reads == READS_TEXTURES else _fed(chain, station)
    if station.able(OWN_RULES):
        yield Setting(
            "own-rules",
            "Its own rules for the space of a file",
            "off",
            "choice",
            "the config, or this sheet, decides",
            "preference",
            ("file",),
            "They decide before the config does.",
            "“Auto” reads another space here than in the renderer.",
        )
    if station.able(DEPTH_DECIDES):
        yield from _by_depth(chain)
    yield from _tags(chain)


@section(60, "next-reading", "Then, in the {next}", for_each_taker=True)
def reading_next(chain: Chain) -> Iterator[Setting]:
    for taker in chain.takers:
        yield from _fed(chain, taker)


def _by_depth(chain: Chain) -> Iterator[Setting]:
    value = "linear for data of 8 and 16 bits, encoded for colour of 32 bits"
    if chain.station.reads != READS_TEXTURES:
        value = "linear for float EXR, encoded for 8- and 16-bit pictures"
    yield Setting(
        "depth-decides",
        "Files that its rule of bit depth reads wrongly",
        value,
        "choice",
        "it takes 8 and 16 bits as encoded and 32 bits as linear; say otherwise for each such file",
        "file",
        (),
        *WRONG_SPACE,
    )


def _textures(chain: Chain) -> Iterator[Setting]:
    textures, station = chain.textures, chain.station
    if not textures:
        yield Setting("textures", "Textures", "none in the project yet", "choice")
        return
    exceptions = [texture for texture in textures if needs_hand(station, texture)]
    if station.able(FOLLOWS_FILE_RULES) and loads_config(station):
        right = f"right for {len(textures) - len(exceptions)} of {len(textures)} files"
        rules = "from file rules (auto)"
        yield Setting("textures", "Texture colour space", rules, "choice", right, "preference", ("file",), *WRONG_SPACE)
    else:
        yield Setting(
            "textures",
            "Texture colour space",
            "set for each file",
            "choice",
            f"{len(textures)} files, in the table of textures",
            "file",
            (),
            *WRONG_SPACE,
        )
    if station.able(DEFAULT_INPUT) == ONE_SPACE and loads_config(station):
        usual = chain.config.getFileRules().getColorSpace(chain.config.getFileRules().getNumEntries() - 1)
        why = "what the project reads a file in that no rule takes"
        yield Setting(
            "default-input", "Default input space", chain.called(usual), "space", why, "preference", ("file",)
        )
    for texture in exceptions[:MOST_EXCEPTIONS]:
        row = texture_row(chain, texture)
        kind = "space" if loads_config(station) else "choice"
        yield Setting(f"texture:{row.path}", row.path, row.value, kind, row.why, "file")  # type: ignore[arg-type]
    if len(exceptions) > MOST_EXCEPTIONS:
        more = f"{len(exceptions) - MOST_EXCEPTIONS:,} more files"
        yield Setting("more", more, "", "choice", "in the table of textures, which is saved as CSV and JSON")
    if documents := station.able(SCENE_DOCUMENTS) != NONE and station.able(SCENE_DOCUMENTS):
        yield Setting(
            "documents",
            "Spaces in scene documents",
            {USD: "colour.usda as the first sublayer", MATERIALX: "the MaterialX documents of the package"}.get(
                documents, "colour.usda as the first sublayer, and the MaterialX documents"
            ),
            "file",
            "they say the space of each file by themselves, so that nothing is set by hand",
            "file",
        )
    if not station.able(PER_FILE_OVERRIDE):
        yield Setting(
            "no-override",
            "It cannot be told for a single file",
            "convert or rename it",
            "choice",
            "Textures converts to the space that its rules give, and renames",
            "file",
        )
    if station.able(NAME_TOKENS):
        renamed = sum(bool(texture_row(chain, texture).rename) for texture in textures)
        yield Setting(
            "tokens",
            "Tokens in file names",
            f"rename {renamed} of {len(textures)} files" if renamed else "all names have theirs",
            "choice",
            "the table of textures has the new names; Convert writes copies under them",
            "file",
            (),
            *WRONG_SPACE,
        )
    if station.able(SEPARATE_TRANSFER):
        for space in sorted({texture.space for texture in textures}):
            told = curve_and_primaries(chain.config, space)
            yield Setting(f"split:{space}", space, told, "choice", "set curve and primaries one by one", "file")


def _fed(chain: Chain, station: Station) -> Iterator[Setting]:
    """How a station reads what the one of the chain wrote, or what it is fed itself."""
    if station.has(TAKES) and station.able(TAKES) == PICTURES:
        yield Setting(
            "space",
            "Read pictures as",
            "they are, by their tags",
            "choice",
            f"they hold {chain.choice.view} on {chain.choice.display}",
            "file",
            ("preference",),
            "The picture is decoded or viewed once more.",
            "Flat and grey, or dark and harsh.",
        )
        yield Setting("levels", "Range", "full, 0–255", "choice", "both ways", "file", (), *_LEVELS)
        return
    if station is not chain.station and chain.station.able(HANDS_ON) == TEXTURES:
        why = "by the project’s file rules, as the table of textures says"
        yield Setting("space", "Read its textures as", "each in its own space", "choice", why, "file", (), *WRONG_SPACE)
        return
    level: Level = "file" if station.able(PER_FILE_OVERRIDE) else "project"
    if loads_config(station):
        yield from _fed_light(chain, station, level)
    else:
        value, why = _READ_WITHOUT_CONFIG[station.able(COLOUR_BY)]
        yield Setting("space", "Read EXR renders as", value, "choice", why, level, (), *WRONG_SPACE)
    dark = "a second decode would darken the picture"
    yield Setting("conversion", "Conversion on reading", "none beyond that space", "choice", dark, "node")
    yield alpha_setting("file")


def _fed_light(chain: Chain, station: Station, level: Level) -> Iterator[Setting]:
    """The space of renders, for each that hands them on where these write different ones."""
    by_giver = chain.fed_spaces if station is chain.station else {}
    fed = sorted(set(by_giver.values())) or [chain.working_space if station is chain.station else chain.own_space]
    why = "already scene-linear: nothing is decoded"
    for space in fed:
        of = ", ".join(name for name, given in by_giver.items() if given == space) if len(fed) > 1 else ""
        key, label = (f":{space}", f" of {of}") if of else ("", "")
        named = chain.called(space) if station is chain.station else space
        yield Setting(f"space{key}", f"Read EXR renders{label} as", named, "space", why, level, (), *WRONG_SPACE)
        if station.able(SEPARATE_TRANSFER):
            told = curve_and_primaries(chain.config, space)
            yield Setting(f"split{key}", "As curve and primaries", told, "choice", "set one by one", level)


_READ_WITHOUT_CONFIG = {
    LUT: ("they are", "it converts nothing: the LUT shows the light that is in the file"),
    ICC: ("its profile says", "assign the profile of its package, and convert nothing"),
    SRGB: ("linear, or raw", "nothing is decoded; their primaries must be those of Rec.709 already"),
}
_LEVELS = ("Black and white lie at 16 and 235.", "Grey blacks and dull whites, or both crushed.")


def _tags(chain: Chain) -> Iterator[Setting]:
    """What headers tell the station by themselves."""
    station = chain.station
    if station.able(KNOWS_INTEROP_IDS) and loads_config(station):
        why = "colorInteropID in an EXR tells its space; what this sheet says comes first where there is none"
        yield Setting("interop-ids", "Interop IDs in headers", "follow them", "choice", why, "preference", ("file",))
    if station.able(KNOWS_CHROMATICITIES):
        yield Setting(
            "chromaticities",
            "Conversion by chromaticities in headers",
            "off, where a space is set",
            "choice",
            "of the two, the space decides",
            "preference",
            ("file",),
            "Primaries are converted twice.",
            "Colours too strong or too pale, with the same brightness.",
        )
    if station.able(KNOWS_ICC):
        why = "for pictures with a view; textures are read in the space that this sheet says"
        yield Setting(
            "icc", "ICC profiles in files", "follow them in pictures only", "choice", why, "preference", ("file",)
        )
    if station.able(KNOWS_CICP):
        why = "for PQ, HLG and wide gamuts in PNG, AVIF and videos"
        yield Setting("cicp", "Code points (cICP)", "follow them", "choice", why, "preference", ("file",))
