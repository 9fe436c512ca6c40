"""The app of sources: it hears of files of the intake that have been read."""

from django.apps import AppConfig


class SourcesConfig(AppConfig):
    name = "studio.sources"

    def ready(self) -> None:
        from studio.sources import receivers  # noqa: F401  (connects its receiver)
