from __future__ import annotations

import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models

_SOMEBODY = {
    "on_delete": django.db.models.deletion.SET_NULL,
    "null": True,
    "related_name": "+",
    "to": settings.AUTH_USER_MODEL,
}
_KINDS = [
    ("import", "Import"),
    ("remedies", "Remedies"),
    ("would-take", "Would Take"),
    ("questions", "Questions"),
    ("compare", "Compare"),
    ("sheet", "Sheet"),
    ("accept", "Accept"),
]


def drafts_to_changes(apps, schema_editor):
    """Each draft becomes a change of one edit for each run of lines that it makes different."""
    draft_class = apps.get_model("networks", "Draft")
    change_class = apps.get_model("networks", "Change")
    step_class = apps.get_model("networks", "ChangeStep")
    for draft in draft_class.objects.filter(dropped=None).order_by("pk"):
        # From the last to the first, so that the lines of the others stay where they are.
        runs = sorted(draft.edits, key=lambda run: (run["file"], -run["line"]))
        change = change_class.objects.create(
            network_id=draft.network_id,
            name=f"draft-{draft.pk}",
            author_id=draft.author_id,
            written_on_id=draft.revision_id,
        )
        step_class.objects.create(
            change=change,
            number=1,
            purpose=f"{draft.purpose}: {draft.text}"[:1000],
            edits=[
                {
                    "at": [],
                    "operation": "lines",
                    "file": run["file"],
                    "was": _lines(run["before"]),
                    "value": _lines(run["after"]),
                    "before": None,
                    "line": run["line"],
                    "off": False,
                }
                for run in runs
            ],
            text="a draft of old",
            author_id=draft.author_id,
        )


def _lines(text):
    return f"{text}\n" if text else ""


class Migration(migrations.Migration):
    dependencies = (
        ("networks", "0009_drafts_dropped"),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    )

    operations = (
        migrations.AddField(
            "revision", "name", models.CharField(blank=True, max_length=80, default=""), False
        ),
        migrations.AlterField("revision", "note", models.CharField(blank=True, max_length=1000)),
        migrations.AlterField("job", "kind", models.CharField(choices=_KINDS, max_length=12)),
        migrations.CreateModel(
            name="Change",
            fields=[
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("name", models.CharField(max_length=80)),
                ("created", models.DateTimeField(auto_now_add=True)),
                ("version", models.PositiveIntegerField(default=1)),
                ("step", models.PositiveIntegerField(default=1)),
                ("accepted", models.DateTimeField(default=None, null=True)),
                ("dropped", models.DateTimeField(default=None, null=True)),
                ("author", models.ForeignKey(**_SOMEBODY)),
                (
                    "became",
                    models.OneToOneField(
                        null=True, on_delete=django.db.models.deletion.SET_NULL,
                        related_name="change", to="networks.revision",
                    ),
                ),
                (
                    "below",
                    models.ForeignKey(
                        null=True, on_delete=django.db.models.deletion.SET_NULL,
                        related_name="above", to="networks.change",
                    ),
                ),
                (
                    "network",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.CASCADE,
                        related_name="changes", to="networks.network",
                    ),
                ),
                (
                    "written_on",
                    models.ForeignKey(
                        null=True, on_delete=django.db.models.deletion.SET_NULL,
                        related_name="+", to="networks.revision",
                    ),
                ),
            ],
            options={"ordering": ("-created", "-pk")},
        ),
        migrations.AddConstraint(
            "change", models.UniqueConstraint(fields=["network", "name"], name="change_names")
        ),
        migrations.CreateModel(
            name="ChangeStep",
            fields=[
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("number", models.PositiveIntegerField()),
                ("purpose", models.CharField(blank=True, max_length=1000)),
                ("edits", models.JSONField(default=list)),
                ("text", models.CharField(max_length=200)),
                ("created", models.DateTimeField(auto_now_add=True)),
                ("author", models.ForeignKey(**_SOMEBODY)),
                (
                    "change",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.CASCADE,
                        related_name="steps", to="networks.change",
                    ),
                ),
            ],
            options={"ordering": ("number",)},
        ),
        migrations.AddConstraint(
            "changestep", models.UniqueConstraint(fields=["change", "number"], name="change_steps")
        ),
        migrations.RunPython(drafts_to_changes, migrations.RunPython.noop),
        migrations.DeleteModel("Draft"),
    )  # fmt: skip
