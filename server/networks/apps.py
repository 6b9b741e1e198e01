"""The Django app."""

from django.apps import AppConfig


class NetworksConfig(AppConfig):
    name = "server.networks"
    label = "networks"
