"""The workspace as an app: the highest layer, which connects the others."""

from django.apps import AppConfig


class WorkspaceConfig(AppConfig):
    name = "pravin_server.workspace"

    def ready(self) -> None:
        """Give the layers below what they ask of those above them."""
        from pravin_server.workspace import wiring  # models are only there now

        wiring.connect()
