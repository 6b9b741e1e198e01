"""Drafts keep changes of files instead of one setting in words of the model."""

from django.db import migrations, models


def tell_old_edits(apps, schema_editor):
    """What an old draft was to set is told behind its words, so that nothing is lost."""
    for draft in apps.get_model("networks", "Draft").objects.all():
        edit = draft.edit if isinstance(draft.edit, dict) else {}
        if edit.get("target"):
            told = f" ({edit.get('device')}: {edit['target']} = {edit.get('value')})"
            draft.text = (draft.text + told)[:400]
        draft.purpose = f"traffic goes by {draft.purpose}"[:400]
        draft.save(update_fields=["text", "purpose"])


class Migration(migrations.Migration):
    dependencies = [("networks", "0004_jobs")]

    operations = [
        migrations.RunPython(tell_old_edits, migrations.RunPython.noop),
        migrations.AddField("draft", "changes", models.JSONField(default=list)),
        migrations.AddField("draft", "edits", models.JSONField(default=list)),
        migrations.RemoveField("draft", "edit"),
    ]
