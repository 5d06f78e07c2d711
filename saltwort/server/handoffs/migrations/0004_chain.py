from itertools import pairwise

import django.db.models.deletion
from django.db import migrations, models


def hand_on_to_the_next(apps, schema_editor):
    hand_offs = apps.get_model("handoffs", "HandOff").objects
    stations = apps.get_model("handoffs", "Station").objects.order_by("project_id", "position")
    for giver, taker in pairwise(stations):
        if giver.project_id == taker.project_id:
            hand_offs.create(project_id=giver.project_id, giver=giver, taker=taker)


class Migration(migrations.Migration):
    dependencies = [("handoffs", "0003_kind"), ("images", "0001_initial"), ("projects", "0001_initial")]

    operations = [
        migrations.CreateModel(
            name="HandOff",
            fields=[
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("giver", models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name="hands_on_to", to="handoffs.station")),
                ("project", models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name="hand_offs", to="projects.project")),
                ("taker", models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name="fed_by", to="handoffs.station")),
            ],
            options={
                "ordering": ("pk",),
                "constraints": [models.UniqueConstraint(fields=("giver", "taker"), name="one_arrow")],
            },
        ),
        migrations.CreateModel(
            name="Proof",
            fields=[
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("name", models.CharField(max_length=200)),
                ("revision", models.PositiveIntegerField()),
                ("came", models.CharField(max_length=10)),
                ("verdict", models.CharField(max_length=20)),
                ("told", models.JSONField()),
                ("depends", models.JSONField()),
                ("author", models.CharField(blank=True, default="", max_length=80)),
                ("created", models.DateTimeField(auto_now_add=True)),
                ("image", models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, to="images.storedimage")),
                ("station", models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name="proofs", to="handoffs.station")),
            ],
            options={"ordering": ("-pk",)},
        ),
        migrations.RunPython(hand_on_to_the_next, migrations.RunPython.noop),
    ]
