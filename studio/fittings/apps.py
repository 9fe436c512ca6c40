from django.apps import AppConfig


class FittingsConfig(AppConfig):
    name = "studio.fittings"

    def ready(self) -> None:
        import studio.fittings.receivers  # noqa: F401
