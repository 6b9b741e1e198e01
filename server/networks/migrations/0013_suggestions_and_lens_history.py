from __future__ import annotations

import django.db.models.deletion
import django.utils.timezone
from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):
    """Suggestions that were left, and how promises stood through lenses."""

    dependencies = (
        ("networks", "0012_promises_tokens_audit"),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    )

    operations = (
        migrations.CreateModel(
            name='LeftSuggestion',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('sentence', models.CharField(max_length=1000)),
                ('created', models.DateTimeField(auto_now_add=True)),
            ],
        ),
        migrations.RemoveConstraint(
            model_name='promiseverdict',
            name='one_verdict',
        ),
        migrations.AddField(
            model_name='promiseverdict',
            name='checked',
            field=models.DateTimeField(default=django.utils.timezone.now),
        ),
        migrations.AddField(
            model_name='promiseverdict',
            name='lens',
            field=models.JSONField(default=dict),
        ),
        migrations.AddField(
            model_name='promiseverdict',
            name='lens_key',
            field=models.CharField(blank=True, max_length=64),
        ),
        migrations.AlterField(
            model_name='job',
            name='kind',
            field=models.CharField(choices=[('import', 'Import'), ('remedies', 'Remedies'), ('would-take', 'Would Take'), ('questions', 'Questions'), ('compare', 'Compare'), ('sheet', 'Sheet'), ('accept', 'Accept'), ('promises', 'Promises'), ('sweep', 'Sweep'), ('suggest', 'Suggest')], max_length=12),
        ),
        migrations.AddConstraint(
            model_name='promiseverdict',
            constraint=models.UniqueConstraint(fields=('revision', 'lens_key', 'name'), name='one_verdict'),
        ),
        migrations.AddField(
            model_name='leftsuggestion',
            name='author',
            field=models.ForeignKey(null=True, on_delete=django.db.models.deletion.SET_NULL, related_name='+', to=settings.AUTH_USER_MODEL),
        ),
        migrations.AddField(
            model_name='leftsuggestion',
            name='network',
            field=models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='left_suggestions', to='networks.network'),
        ),
        migrations.AddConstraint(
            model_name='leftsuggestion',
            constraint=models.UniqueConstraint(fields=('network', 'sentence'), name='left_once'),
        ),
    )
