"""The words that Saltwort uses, one for each thing, and what they mean. The screen shows them where they stand, and
`docs/glossary.md` is written from here."""

from dataclasses import dataclass


@dataclass(frozen=True)
class Term:
    """A word and what it means, in a sentence or two."""

    term: str
    meaning: str


GLOSSARY = tuple(
    Term(term, meaning)
    for term, meaning in sorted(
        {
            "Ability": "One thing that an application can do or does by itself, such as following file rules. "
            "The sheet "
            "follows from it.",
            "Application": "A program of your chain: renderer, compositor, texturing tool. Described by what "
            "it can do.",
            "Base config": "The OCIO config that the project's own is built on: one of the OCIO library's, or one that "
            "you imported. It is never changed.",
            "Baked": "Replaced by a LUT, or written into the pixels, so that it can no longer be changed.",
            "Blocker": "A finding that makes the result wrong.",
            "Caution": "A finding that probably makes the result wrong.",
            "Dismissed": "A finding that somebody has looked at and left as it is, with the reason.",
            "Chromaticities": "Where red, green, blue and white of a colour space lie, as CIE 1931 x and y.",
            "Clipped": "Cut off at a limit, such as light above 1: the detail there is lost.",
            "Clipping check": "A render shown darker, with the places marked where light was clipped, is "
            "negative, or is "
            "NaN or infinite.",
            "Chain": "The applications of a project, and who hands on what to whom.",
            "Code value": "A number as a display or a file holds it, after encoding: 0–1, or 0–255 in 8 bits.",
            "Colour path": "The way of a colour from the texture through rendering and the view to the file.",
            "Colour space": "Primaries, white point and encoding: what the numbers of a picture mean.",
            "Confidence": "How likely a suggestion is right: of all suggestions with 80 %, eight in ten are.",
            "Config": "An OCIO config: the spaces, displays, views, looks, roles and rules that all "
            "applications share.",
            "Context variable": "A variable, such as the shot, that a config uses in file names.",
            "Data": "Numbers that are no colour: roughness, normals, masks, and such layers of a render. They are "
            "never converted.",
            "Data window": "The part of an EXR picture that has pixels; it may be smaller or larger than the picture.",
            "Differs in places": "What Explain says of a picture that is as expected but for some pixels, in boxes.",
            "Display": "A screen with its encoding, such as sRGB or Rec.2100-PQ.",
            "Display-referred": "Numbers that say what a screen shows, after the view.",
            "Encoding": "The curve between light and the stored numbers; also what a space says of itself in OCIO.",
            "Evidence": "What a file's name, header and pixels say about its colour space.",
            "Exposure": "A factor on light, in stops: +1 is twice as much.",
            "File rule": "A rule of the config that gives a file its colour space by its path. The first that "
            "matches wins.",
            "Finding": "Something that is wrong, doubtful or worth knowing, with a code, a reason, and often a fix.",
            "Gamut": "All colours that a colour space or a display can hold.",
            "Grade": "Slope, offset, power, saturation and a curve, applied in Compare. It is in no file unless saved.",
            "Gamma node": "A node of a scene that raises numbers to a power, often to decode a picture by hand.",
            "Habit": "What a scene shows of another colour setup, such as gamma nodes on every texture.",
            "Hand-off": "What one application writes and the next reads.",
            "Header": "What a file says of itself besides its pixels.",
            "Interop ID": "The name of a colour space that many applications know, such as lin_ap1_scene.",
            "Inverse of a view": "A view run backwards: from what a display shows to light that would show so.",
            "Look": "A creative adjustment of the config, applied before the view.",
            "LUT": "A table of colours, read between its points.",
            "Map kind": "What a texture is for: base colour, roughness, normal, emission, environment and so on.",
            "Map kind words": "Words in file names from which the map kind is detected.",
            "Middle grey": "Light of 0.18, from which stops are counted.",
            "Named transform": "A conversion in the config that is neither a colour space nor a view.",
            "Nits": "Candela per square metre: how bright a display is.",
            "Notation": "How a colour is typed: 0–255, 0–1, hex, HSV, xyY, kelvin and so on.",
            "Note": "A finding that is worth knowing; nothing is wrong.",
            "Recipe": "A kind of output with its settings and a file name, kept to be made again from any revision.",
            "Sequence": "Frames whose names differ in a number alone, such as dusk.0001.exr, kept as one render.",
            "Frame looked at": "The frame of a sequence that Compare shows, and of which single pictures are made.",
            "Slate": "A second at the beginning of a review video that says what follows.",
            "Dither": "Noise of one step that hides bands in 8-bit pictures.",
            "Shaper": "A curve before a LUT's cube, mostly a logarithm, that brings light to 0–1.",
            "MaxCLL, MaxFALL": "The brightest pixel and the brightest mean of a frame of an HDR video, in cd/m².",
            "Mastering display": "The display that an HDR video was made on: its primaries, darkest and brightest.",
            "Output": "A file that leaves the project, checked after it was written.",
            "Pane": "One picture in Compare, with its display, view and look.",
            "Pane settings": "What one pane shows differently from the others: picture, layer, exposure, "
            "working space.",
            "Pointer's gamut": "The colours that real surfaces have, as measured by M. R. Pointer (1980).",
            "Primaries": "The red, green and blue of a colour space.",
            "Probe": "The numbers of a pixel: light, and what each pane shows there.",
            "Project view": "The display, view and look that the project is seen with; every application "
            "opens with them.",
            "Proposed change": "A change with all its effects, shown before it is saved.",
            "Package": "All that one application needs, in a zip that works where it is unpacked.",
            "Proved": "An application whose test card came back as agreed, and nothing it depends on has changed.",
            "Proof": "A measured comparison that shows two things give the same numbers, or by how much they differ.",
            "Reference space": "The space that all others of a config are defined from.",
            "Render": "A picture of scene light, from your renderer or from the rig.",
            "Rendering of a view": "One variant of a view family, such as ACES for 1000 nits.",
            "Revision": "A saved state of the project's setup. Nothing is overwritten; each can be made current again.",
            "Rig": "A small scene with a chart and your swatches, rendered by Saltwort itself.",
            "Role": "A job in the config, such as scene_linear, that a colour space is given to.",
            "Scene-linear": "Numbers proportional to light in the scene.",
            "Scene-referred": "Numbers that describe light in the scene, before any view.",
            "Scope": "A plot of a picture's values: waveform, parade, vectorscope, histogram, chromaticities.",
            "Set": "Texture files that belong together: the maps, tiles and frames of one material.",
            "Set by hand": "A file whose space you chose yourself; file rules no longer apply to it.",
            "Settings sheet": "The list of what to set in one application.",
            "Set wrong": "In the simulation: one setting of an application that is otherwise than agreed, on purpose.",
            "Simulation": "The chain computed here, application by application, with some of them set wrong.",
            "Spectral reference": "The rig rendered with wavelengths, to which working spaces are compared.",
            "Stop": "A factor of two in light.",
            "Night watch": "Saltwort looking at each frame that lands in a folder, and telling what is wrong with it.",
            "Rescue": "To undo what was done to a picture, into the light that it was, as far as that can be undone.",
            "Stop file": "A file that `watch` writes at the first wrong frame, for a farm to look for.",
            "Watched folder": "A folder in which frames land, and what they should hold.",
            "Test card": "A picture of known patches that goes out to an application; what comes back tells what "
            "it did.",
            "Suggested space": "The colour space that the evidence points to, with its confidence.",
            "As it appears": "Said of a colour whose code values must come out of the view, such as a brand’s.",
            "Swatch": "A colour of the project with a name: a paint, a skin, a logo.",
            "Target OCIO version": "The OCIO version that the config is written for, so that older "
            "applications load it.",
            "Test colour": "One colour that you type, shown at every step of the colour path.",
            "Tile": "One UDIM square of a texture.",
            "Tone and hue response": "Curves of how a view maps light to the display, and how hues shift on the way to "
            "white.",
            "Trace a colour": "The numbers of a colour after every step of a conversion.",
            "Undecided": "The file does not say enough for a suggestion.",
            "Unlink": "Stop reading a folder; its textures stay in the project.",
            "View": "How scene light is shown on a display: its tone curve and colour handling.",
            "View family": "A kind of view transform: AgX, filmic, ACES and others.",
            "View transform": "The operations by which a view turns scene light into display light.",
            "Viewing rule": "A rule of the config that says which views are offered for which pictures.",
            "White point": "The colour of a space's white, such as D65.",
            "Working space": "The scene-linear space in which the renderer and compositor compute.",
        }.items(),
        key=lambda item: item[0].lower(),
    )
)
