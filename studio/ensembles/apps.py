"""The app of ensembles: it hears of recordings that come in with several performers."""

from django.apps import AppConfig


class EnsemblesConfig(AppConfig):
    name = "studio.ensembles"

    def ready(self) -> None:
        from studio.ensembles import receivers  # noqa: F401  (connects them)
