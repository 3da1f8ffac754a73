"""A degree is written °C: a reference in C or F measures in the same unit, in the one way it is written from now on."""

from django.db import migrations

WRITTEN = {"C": "°C", "F": "°F"}


def write(apps, _schema):
    references = apps.get_model("kit", "Reference").objects
    for was, now in WRITTEN.items():
        references.filter(unit=was).update(unit=now)


class Migration(migrations.Migration):
    dependencies = [("kit", "0010_gas_of_portables")]
    operations = [migrations.RunPython(write, migrations.RunPython.noop)]
