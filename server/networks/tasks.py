"""Jobs for the worker."""

from __future__ import annotations

from procrastinate.contrib.django import app

from server.networks.imports import run_import
from server.networks.models import Import, RemedySearch
from server.networks.remedies import run_remedy_search

__all__ = ["import_files", "search_remedies"]


@app.task(name="import_files")
def import_files(import_id: int) -> None:
    """Run one import; an import deleted in the meantime is nothing to do."""
    job = Import.objects.filter(pk=import_id).first()
    if job is not None:
        run_import(job)


@app.task(name="search_remedies")
def search_remedies(search_id: int) -> None:
    """Run one search for remedies; one deleted in the meantime is nothing to do."""
    search = RemedySearch.objects.select_related("revision").filter(pk=search_id).first()
    if search is not None:
        run_remedy_search(search)
