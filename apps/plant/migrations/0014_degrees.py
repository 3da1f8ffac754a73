"""A degree is written °C: what the register holds as C or F is the same unit in the one way it is written from now on."""

from django.db import migrations

WRITTEN = {"C": "°C", "F": "°F"}


def write(apps, _schema):
    instruments = apps.get_model("plant", "Instrument").objects
    for was, now in WRITTEN.items():
        instruments.filter(unit=was).update(unit=now)
        instruments.filter(output_unit=was).update(output_unit=now)


class Migration(migrations.Migration):
    dependencies = [("plant", "0013_sensor_ends")]
    operations = [migrations.RunPython(write, migrations.RunPython.noop)]
