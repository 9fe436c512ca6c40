from django.apps import AppConfig


class RenditionsConfig(AppConfig):
    name = "studio.renditions"

    def ready(self) -> None:
        import studio.renditions.receivers  # noqa: F401
