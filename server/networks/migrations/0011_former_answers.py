from __future__ import annotations

import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):
    """The answer of a saved question before it changed, and the revision that it was of."""

    dependencies = (("networks", "0010_changes"),)

    operations = (
        migrations.AddField("savedquestion", "former_answer", models.JSONField(null=True)),
        migrations.AddField(
            "savedquestion",
            "former_revision",
            models.ForeignKey(
                null=True,
                on_delete=django.db.models.deletion.SET_NULL,
                related_name="+",
                to="networks.revision",
            ),
        ),
    )
