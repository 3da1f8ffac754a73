"""Of a calendar's link only a hash is kept. Links that were given out go on."""

import hashlib

from django.db import migrations


def hash_them(apps, schema_editor):
    feeds = apps.get_model("planning", "Feed")
    for feed in feeds.objects.all():
        feed.token = hashlib.sha256(feed.token.encode()).hexdigest()
        feed.save(update_fields=["token"])


class Migration(migrations.Migration):
    dependencies = [("planning", "0004_calendars_of_people")]
    operations = [migrations.RunPython(hash_them, migrations.RunPython.noop)]
