from __future__ import annotations

import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models

#: Rows of the audit trail are added, and neither changed nor deleted.
_REFUSE = """
CREATE FUNCTION networks_audit_stays() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    RAISE EXCEPTION 'the audit trail is only added to';
END $$;
CREATE TRIGGER networks_audit_stays BEFORE UPDATE OR DELETE ON networks_auditentry
    FOR EACH ROW EXECUTE FUNCTION networks_audit_stays();
"""
_ALLOW = """
DROP TRIGGER networks_audit_stays ON networks_auditentry;
DROP FUNCTION networks_audit_stays();
"""


class Migration(migrations.Migration):
    """Promises kept here, how they stood, swept failures, tokens and the audit trail."""

    dependencies = (
        ("networks", "0011_former_answers"),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    )

    operations = (
        migrations.CreateModel(
            name='AuditEntry',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('created', models.DateTimeField(auto_now_add=True)),
                ('network', models.CharField(blank=True, db_index=True, max_length=60)),
                ('who', models.CharField(max_length=150)),
                ('token', models.CharField(blank=True, max_length=80)),
                ('address', models.CharField(blank=True, max_length=64)),
                ('action', models.CharField(max_length=40)),
                ('text', models.CharField(max_length=400)),
            ],
            options={
                'ordering': ('-pk',),
            },
        ),
        migrations.AlterField(
            model_name='job',
            name='kind',
            field=models.CharField(choices=[('import', 'Import'), ('remedies', 'Remedies'), ('would-take', 'Would Take'), ('questions', 'Questions'), ('compare', 'Compare'), ('sheet', 'Sheet'), ('accept', 'Accept'), ('promises', 'Promises'), ('sweep', 'Sweep')], max_length=12),
        ),
        migrations.CreateModel(
            name='ApiToken',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('name', models.CharField(max_length=80)),
                ('scope', models.CharField(choices=[('read', 'Read'), ('import', 'Import'), ('change', 'Change')], max_length=10)),
                ('hashed', models.CharField(max_length=64, unique=True)),
                ('created', models.DateTimeField(auto_now_add=True)),
                ('expires', models.DateTimeField()),
                ('revoked', models.DateTimeField(null=True)),
                ('last_used', models.DateTimeField(null=True)),
                ('last_address', models.CharField(blank=True, max_length=64)),
                ('networks', models.ManyToManyField(related_name='api_tokens', to='networks.network')),
                ('user', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='api_tokens', to=settings.AUTH_USER_MODEL)),
            ],
            options={
                'ordering': ('-created', '-pk'),
            },
        ),
        migrations.CreateModel(
            name='PromiseVerdict',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('name', models.CharField(max_length=80)),
                ('sentence', models.CharField(max_length=1000)),
                ('kept', models.BooleanField()),
                ('why', models.CharField(blank=True, max_length=1000)),
                ('revision', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='verdicts', to='networks.revision')),
            ],
            options={
                'constraints': [models.UniqueConstraint(fields=('revision', 'name'), name='one_verdict')],
            },
        ),
        migrations.CreateModel(
            name='StoredPromise',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('name', models.CharField(max_length=80)),
                ('sentence', models.CharField(max_length=1000)),
                ('severity', models.CharField(default='error', max_length=10)),
                ('owner', models.CharField(blank=True, max_length=80)),
                ('folder', models.CharField(blank=True, max_length=80)),
                ('note', models.CharField(blank=True, max_length=1000)),
                ('created', models.DateTimeField(auto_now_add=True)),
                ('author', models.ForeignKey(null=True, on_delete=django.db.models.deletion.SET_NULL, related_name='+', to=settings.AUTH_USER_MODEL)),
                ('network', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='promises', to='networks.network')),
            ],
            options={
                'ordering': ('folder', 'name'),
                'constraints': [models.UniqueConstraint(fields=('network', 'name'), name='promise_names')],
            },
        ),
        migrations.CreateModel(
            name='SweptCase',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('key', models.CharField(max_length=64)),
                ('failed', models.CharField(max_length=1000)),
                ('record', models.JSONField()),
                ('made', models.DateTimeField(auto_now_add=True)),
                ('network', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='swept', to='networks.network')),
            ],
            options={
                'constraints': [models.UniqueConstraint(fields=('network', 'key', 'failed'), name='swept_once')],
            },
        ),
        migrations.RunSQL(_REFUSE, _ALLOW),
    )
