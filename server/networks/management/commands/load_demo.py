"""Loads the demo networks and their users, once."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from django.conf import settings
from django.contrib.auth import get_user_model
from django.contrib.auth.models import User
from django.core.management.base import BaseCommand, CommandError, CommandParser
from django.db import transaction

from routrel.files.reader import read_change
from routrel.formats.folders import mixed_texts
from routrel.lens.look import Lens, View, content_hash, look_through
from routrel.questions.finding_groups import finding_key
from server.networks import states
from server.networks.imports import add_revision
from server.networks.models import Membership, Network, Role
from server.networks.promises import begin_check

#: The change that leads from the demo as shipped back to the revision before it.
_EARLIER = Path(__file__).resolve().parents[1] / "demo" / "before-the-summer.yaml"
USERS = {"olaf": Role.OWNER, "nora": Role.EDITOR, "vita": Role.VIEWER}


class Command(BaseCommand):
    help = (
        "Load Marram Coast Ferries, and Reedfold Pilots from files of other formats, "
        "with the users olaf (owner), nora (editor), vita (viewer)."
    )

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("--password-file", type=Path, required=True)
        parser.add_argument("--folder", type=Path, default=settings.ROOT / "demo")
        parser.add_argument("--formats", type=Path, default=settings.ROOT / "demo-formats")

    def handle(
        self, *args: Any, password_file: Path, folder: Path, formats: Path, **options: Any
    ) -> None:
        """Make what is missing; a demo that is there already is left as people changed it.

        A revision is added only where the shipped files are not yet among the revisions.
        """
        password = password_file.read_text().strip()
        self._load("reedfold", formats, password, earlier=False)
        self._load("marram", folder, password, earlier=True)
        self.stdout.write("demo ready")

    def _load(self, slug: str, folder: Path, password: str, *, earlier: bool) -> None:
        """One network; `earlier` tells whether a revision comes before the one that is shipped."""
        texts, problems, _ = mixed_texts(folder)
        view = states.look_anew(texts, problems)
        if view.state is None:
            raise CommandError(f"{folder.name} has problems: {view.reading.problems[0].text}")
        digest = content_hash(texts)
        states.remember(digest, view)
        with transaction.atomic():
            network, _ = Network.objects.get_or_create(
                slug=slug, defaults={"title": view.reading.network.name}
            )
            for name, role in USERS.items():
                user, _ = get_user_model().objects.get_or_create(username=name)
                if not user.check_password(password):
                    user.set_password(password)
                    user.save()
                Membership.objects.get_or_create(
                    network=network, user=user, defaults={"role": role}
                )
            owner = get_user_model().objects.get(username="olaf")
            if network.last_revision == 0 and earlier:
                self._add(network, owner, self._earlier(view), "before the summer's work")
            if not network.revisions.filter(content_hash=digest).exists():
                self._add(network, owner, view, "the demo as shipped")

    def _add(self, network: Network, owner: User, view: View, note: str) -> None:
        """Make a revision, and begin to check what is promised of it."""
        keys = [finding_key(finding) for finding in view.findings]
        texts = dict(view.texts)
        made = add_revision(network, texts, author=owner, note=note, finding_keys=keys)
        begin_check(made, owner.pk)

    def _earlier(self, view: View) -> View:
        """The demo as it was before the work that broke two of its promises."""
        change, problems = read_change(_EARLIER.read_text(), _EARLIER.name)
        if change is None or problems:
            raise CommandError(f"the demo's history has problems: {problems[0].text}")
        found = look_through(Lens(texts=view.texts, changes=(change,)), since=view)
        states.remember(content_hash(found.texts), found)
        return found
