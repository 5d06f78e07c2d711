"""Where the artist's guide says more of a finding."""

_PLACES = {
    "config": "guide/config#understand",
    "config.gamut-narrower-than-display": "guide/scene#working-space",
    "config.not-archivable": "guide/config#compare-and-hand-over",
    "config.replaced-for-target": "guide/config#start",
    "config.same-": "guide/config#shape",
    "frame": "guide/explain#the-night-watch",
    "handoff": "guide/handoffs#settings",
    "handoff.config-": "guide/handoffs#packages",
    "handoff.environment-turned": "guide/handoffs#settings",
    "handoff.colour-not-typable": "guide/scene#colours",
    "handoff.failed": "guide/handoffs#the-test-card",
    "handoff.never-proved": "guide/handoffs#the-test-card",
    "handoff.out-of-date": "guide/handoffs#the-test-card",
    "handoff.space-not-settable": "guide/textures#rules",
    "light": "guide/scene#lights-and-rig",
    "lut": "guide/config#shape",
    "render": "guide/scene#renders",
    "render.frames-": "guide/outputs/frames",
    "render.view-baked": "guide/explain#rescue",
    "rule": "guide/textures#rules",
    "rule.not-imported": "guide/config#start",
    "source": "guide/config#start",
    "swatch": "guide/scene#colours",
    "texture": "guide/textures#what-a-file-says-itself",
    "texture.name": "guide/textures#rules",
    "texture.space-not-in-config": "guide/textures#another-config",
    "texture.unknown-space": "guide/textures#another-config",
    "texture.unreadable": "guide/textures#add-files",
    "view": "guide/compare#designing-a-view",
    "view.double": "guide/compare#which-view-for-which-picture",
    "view.drawn-off": "guide/compare",
    "view.exposure-left-on": "guide/compare#measuring",
    "view.for-another-display": "guide/compare",
    "view.raw-left-on": "guide/compare#which-view-for-which-picture",
    "view.wider-than-working": "guide/scene#working-space",
}
"""Pages below docs/, with the heading, by how codes begin."""


def guide_place(code: str) -> str:
    """The page below docs/ and its heading that say more of a finding, by the longest beginning of its code that is
    known. Raises KeyError for a family without a page."""
    found = [beginning for beginning in _PLACES if code.startswith(beginning)]
    if not found:
        raise KeyError(f"No page of the guide for findings of “{code}”: name one in core/findings/guide.py.")
    return _PLACES[max(found, key=len)]
