from django.db import migrations, models


def describe_by_abilities(apps, schema_editor):
    for station in apps.get_model("handoffs", "Station").objects.all():
        station.abilities = {"ocio_version": station.ocio_version}
        if station.reads == "textures":
            station.abilities["follows_file_rules"] = station.follows_file_rules
        station.save(update_fields=["abilities"])


def describe_by_columns(apps, schema_editor):
    for station in apps.get_model("handoffs", "Station").objects.all():
        station.ocio_version = station.abilities.get("ocio_version", "2.6")
        station.follows_file_rules = station.abilities.get("follows_file_rules", True)
        station.save(update_fields=["ocio_version", "follows_file_rules"])


class Migration(migrations.Migration):
    dependencies = [("handoffs", "0001_initial")]

    operations = [
        migrations.AddField("station", "abilities", models.JSONField(default=dict)),
        migrations.AlterField("station", "ocio_version", models.CharField(max_length=10, default="2.6")),
        migrations.AlterField("station", "follows_file_rules", models.BooleanField(default=True)),
        migrations.RunPython(describe_by_abilities, describe_by_columns),
        migrations.RemoveField("station", "ocio_version"),
        migrations.RemoveField("station", "follows_file_rules"),
    ]
