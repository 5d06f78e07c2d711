"""Swatches move into the setup of revisions, with the lights and the rig; renders have layers."""

from django.db import migrations, models

LIGHTS = (
    ("environment", "xyY", "0.3127 0.329", 0.0),
    ("key", "daylight", "5600", 0.0),
    ("flame", "kelvin", "1900", -3.0),
    ("marker", "xyY", "0.23 0.66", -3.0),
)
"""The rig's lights as they were when they moved; later ones are no concern of this step."""


def move_swatches(apps, schema_editor):
    Revision, Swatch = apps.get_model("projects", "Revision"), apps.get_model("scene", "Swatch")
    for revision in Revision.objects.all():
        swatches = [
            {
                "name": swatch.name,
                "colour": {"space": swatch.space, "unit": swatch.unit, "text": swatch.text},
                "use": "surface",
            }
            for swatch in Swatch.objects.filter(project_id=revision.project_id)
        ]
        # Two of a name were allowed; in a setup they are told apart by it.
        names = [swatch["name"] for swatch in swatches]
        for place, swatch in enumerate(swatches):
            if swatch["name"] in names[:place]:
                swatch["name"] = f"{swatch['name'][:70]} ({place + 1})"
        lights = [
            {
                "name": name,
                "colour": {"space": "", "unit": unit, "text": text},
                "swatch": "",
                "intensity": 1.0,
                "stops": stops,
                "muted": False,
            }
            for name, unit, text, stops in LIGHTS
        ]
        revision.setup["scene"] = {"swatches": swatches, "lights": lights, "swatch_on_rig": "", "inputs": []}
        Revision.objects.filter(pk=revision.pk).update(setup=revision.setup)


class Migration(migrations.Migration):
    dependencies = [("projects", "0001_initial"), ("scene", "0001_initial")]

    operations = [
        migrations.RunPython(move_swatches, migrations.RunPython.noop),
        migrations.DeleteModel(name="Swatch"),
        migrations.AddField("render", "layer", models.CharField(blank=True, max_length=255)),
        migrations.AddField("render", "facts", models.JSONField(null=True)),
        migrations.AddField("render", "rig", models.JSONField(null=True)),
    ]
