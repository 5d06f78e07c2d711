"""The delivery note: what was delivered, on paper."""

from hashlib import file_digest, sha256

from django.utils import timezone
from django.utils.html import format_html, format_html_join
from django.utils.safestring import SafeString

from saltwort.server.outputs.frames import hashes_of
from saltwort.server.outputs.models import Output
from saltwort.server.outputs.operations import told
from saltwort.server.projects.models import Project

STYLE = """
@page { size: A4; margin: 18mm }
body { font: 10pt/1.4 sans-serif; color: #111; max-width: 174mm; margin: 10mm auto }
h1 { font-size: 16pt; margin: 0 } h2 { font-size: 11pt; margin: 6mm 0 1mm; overflow-wrap: anywhere }
section { break-inside: avoid } table { border-collapse: collapse; width: 100% }
td { border-top: 0.2mm solid #bbb; padding: 0.6mm 2mm 0.6mm 0; vertical-align: top; overflow-wrap: anywhere }
td:first-child { color: #555; width: 42mm } .hash { font: 8pt monospace }
"""


def delivery_note(project: Project) -> str:
    """One page of HTML, without scripts, that prints well on A4: each finished output with its revision, size, hash and
    what was read back from it. Of a sequence the hash is that of the list of its files' hashes."""
    outputs = project.outputs.filter(facts__isnull=False).select_related("revision", "render").order_by("pk")
    sections = [_section(output) for output in outputs if output.frames.exists() or output.file.exists()]
    empty = format_html("<p>Nothing was delivered yet.</p>")
    return format_html(
        "<!doctype html><html lang=en><meta charset=utf-8><title>Delivery note, {}</title><style>{}</style>"
        "<h1>Delivery note</h1><p>{}, {} files, {}</p>{}</html>",
        project.name,
        SafeString(STYLE),
        project.name,
        len(sections),
        timezone.localtime().strftime("%-d %B %Y, %H:%M"),
        format_html_join("", "{}", ((section,) for section in sections)) if sections else empty,
    )


def _section(output: Output) -> SafeString:
    hashes = hashes_of(output)
    if hashes:
        digest, size = sha256(hashes.encode()).hexdigest(), output.facts["bytes"]
    else:
        with output.file.open("rb") as file:
            digest = file_digest(file, "sha256").hexdigest()
        size = output.file.stat().st_size
    rows = {
        "made from": output.render.name if output.render else "the config",
        "revision": f"{output.revision.number}, {output.revision.message}",
        "bytes": f"{size:,}",
        **told(output),
    }
    listed = format_html_join("", "<tr><td>{}<td>{}", rows.items())
    return format_html(
        "<section><h2>{}</h2><table>{}<tr><td>{}<td class=hash>{}</table></section>",
        output.name,
        listed,
        "SHA-256 of SHA256SUMS" if hashes else "SHA-256",
        digest,
    )
