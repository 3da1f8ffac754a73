"""A degree is written °C in the maps of devices too."""

from django.db import migrations

WRITTEN = {"C": "°C", "F": "°F"}


def write(apps, _schema):
    for device in apps.get_model("bench", "Device").objects.all():
        signals = [{**s, "unit": WRITTEN.get(s.get("unit"), s.get("unit"))} for s in device.signals]
        if signals != device.signals:
            device.signals = signals
            device.save(update_fields=["signals"])


class Migration(migrations.Migration):
    dependencies = [("bench", "0002_weight_strings")]
    operations = [migrations.RunPython(write, migrations.RunPython.noop)]
