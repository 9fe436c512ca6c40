"""The app of splices: it hears of clips that change."""

from django.apps import AppConfig


class SplicesConfig(AppConfig):
    name = "studio.splices"

    def ready(self) -> None:
        from studio.splices import signals  # noqa: F401  (connects its receiver)
