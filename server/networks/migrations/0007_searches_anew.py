"""Searches that ended are forgotten: their answers lack what answers tell now; asked again they are had."""

from django.db import migrations


def forget_searches(apps, schema_editor):
    apps.get_model("networks", "Job").objects.filter(kind__in=("remedies", "would-take")).delete()


class Migration(migrations.Migration):
    dependencies = [("networks", "0006_chart_places")]

    operations = [migrations.RunPython(forget_searches, migrations.RunPython.noop)]
