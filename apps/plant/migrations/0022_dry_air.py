"""What a conductivity cell may read in dry air had the name of the policy for the oxygen of air; an instrument's own value goes on under its new name."""

from django.db import migrations


def rename(apps, schema_editor):
    for i in apps.get_model("plant", "Instrument").objects.filter(method="an-conductivity", details__has_key="air_percent"):
        i.details["dry_air_percent"] = i.details.pop("air_percent")
        i.save(update_fields=["details"])


class Migration(migrations.Migration):
    dependencies = [("plant", "0021_kept_as_written")]
    operations = [migrations.RunPython(rename, migrations.RunPython.noop)]
