import django.db.models.deletion
import django.utils.timezone
from django.conf import settings
from django.db import migrations, models


def take_over(apps, schema_editor):
    """What was set before counts on; who set it and when was not kept."""
    now = django.utils.timezone.now()
    for layer in apps.get_model("plant", "PolicyLayer").objects.all():
        for name, value in layer.values.items():
            apps.get_model("plant", "PolicyChange").objects.create(
                method=layer.method,
                name=name,
                value=f"{value:g}" if isinstance(value, int | float) else str(value),
                counts_from=django.utils.timezone.localdate(now),
                at=now,
                reason="Set before policies had a history.",
            )


def give_back(apps, schema_editor):
    """The values as they stand."""
    layers = {}
    for c in apps.get_model("plant", "PolicyChange").objects.order_by("counts_from", "pk"):
        layers.setdefault(c.method, {})[c.name] = c.value
    for method, values in layers.items():
        apps.get_model("plant", "PolicyLayer").objects.create(method=method, values={k: v for k, v in values.items() if v})


class Migration(migrations.Migration):
    dependencies = [
        ("plant", "0019_first_due"),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.CreateModel(
            name="PolicyChange",
            fields=[
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("method", models.CharField(blank=True, max_length=40)),
                ("name", models.CharField(max_length=40)),
                ("value", models.CharField(blank=True, max_length=40)),
                ("before", models.CharField(blank=True, max_length=40)),
                ("counts_from", models.DateField()),
                ("at", models.DateTimeField()),
                ("reason", models.CharField(max_length=300)),
                (
                    "by",
                    models.ForeignKey(
                        null=True, on_delete=django.db.models.deletion.PROTECT, related_name="+", to=settings.AUTH_USER_MODEL
                    ),
                ),
            ],
            options={"ordering": ["counts_from", "pk"]},
        ),
        migrations.RunPython(take_over, give_back),
        migrations.DeleteModel(name="PolicyLayer"),
    ]
