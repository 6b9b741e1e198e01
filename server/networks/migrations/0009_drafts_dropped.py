"""Drafts that were dropped can be taken back; searches that ended are forgotten, as they tell more now."""

from django.db import migrations, models


def forget_searches(apps, schema_editor):
    apps.get_model("networks", "Job").objects.filter(kind__in=("remedies", "would-take")).delete()


class Migration(migrations.Migration):
    dependencies = [("networks", "0008_findings_kept")]

    operations = [
        migrations.AddField("draft", "dropped", models.DateTimeField(default=None, null=True)),
        migrations.RunPython(forget_searches, migrations.RunPython.noop),
    ]
