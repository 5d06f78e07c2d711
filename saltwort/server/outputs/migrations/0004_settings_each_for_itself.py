from django.db import migrations, models


def upgrade(apps, schema_editor):
    """Hand-offs became light; a still has its display, view and look each for itself, and was not dithered."""
    for output in apps.get_model('outputs', 'Output').objects.filter(kind__in=('handoff', 'still')):
        if output.kind == 'handoff':
            output.kind = 'light'
        elif isinstance(output.settings.get('view'), dict):
            view = output.settings.pop('view')
            output.settings |= {name: view.get(name, '') for name in ('display', 'view', 'look')}
            output.settings |= {'bits': str(output.settings.get('bits', 16)), 'dither': False}
        if 'source' in output.settings:
            output.settings['source_space'] = output.settings.pop('source')
            output.settings['source_layer'] = output.settings.pop('layer', '')
        output.save(update_fields=['kind', 'settings'])


class Migration(migrations.Migration):

    dependencies = [
        ('outputs', '0003_made_when'),
    ]

    operations = [
        migrations.AddField(
            model_name='output',
            name='recipe',
            field=models.CharField(blank=True, default='', max_length=100),
        ),
        migrations.RunPython(upgrade, migrations.RunPython.noop),
    ]
