"""Loads the demo network and its users, once."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from django.conf import settings
from django.contrib.auth import get_user_model
from django.core.management.base import BaseCommand, CommandError, CommandParser
from django.db import transaction

from routrel.files.reader import load_texts
from routrel.lens.look import content_hash
from server.networks import states
from server.networks.imports import add_revision
from server.networks.models import Membership, Network, Role

USERS = {"olaf": Role.OWNER, "nora": Role.EDITOR, "vita": Role.VIEWER}


class Command(BaseCommand):
    help = "Load Marram Coast Ferries with the users olaf (owner), nora (editor), vita (viewer)."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("--password-file", type=Path, required=True)
        parser.add_argument("--folder", type=Path, default=settings.ROOT / "demo")

    def handle(self, *args: Any, password_file: Path, folder: Path, **options: Any) -> None:
        """Make what is missing; a demo that is there already is left as people changed it.

        A revision is added only where the shipped files are not yet among the revisions.
        """
        password = password_file.read_text().strip()
        texts, problems = load_texts(folder)
        view = states.look_anew(texts, problems)
        if view.state is None:
            raise CommandError(f"the demo has problems: {view.reading.problems[0].text}")
        digest = content_hash(texts)
        states.remember(digest, view)
        with transaction.atomic():
            network, _ = Network.objects.get_or_create(
                slug="marram", defaults={"title": view.reading.network.name}
            )
            for name, role in USERS.items():
                user, _ = get_user_model().objects.get_or_create(username=name)
                if not user.check_password(password):
                    user.set_password(password)
                    user.save()
                Membership.objects.get_or_create(
                    network=network, user=user, defaults={"role": role}
                )
            if not network.revisions.filter(content_hash=digest).exists():
                owner = get_user_model().objects.get(username="olaf")
                add_revision(network, texts, author=owner, note="the demo as shipped")
        self.stdout.write("demo ready")
