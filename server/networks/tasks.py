"""Jobs for the worker."""

from __future__ import annotations

from procrastinate.contrib.django import app

from server.networks.imports import run_import
from server.networks.models import Import

__all__ = ["import_files"]


@app.task(name="import_files")
def import_files(import_id: int) -> None:
    """Run one import; an import deleted in the meantime is nothing to do."""
    job = Import.objects.filter(pk=import_id).first()
    if job is not None:
        run_import(job)
