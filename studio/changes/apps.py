"""The app of changes: it notes what tasks write, also in workers, which answer no request."""

from django.apps import AppConfig


class ChangesConfig(AppConfig):
    name = "studio.changes"

    def ready(self) -> None:
        from studio.changes import recording  # noqa: F401  (connects its receivers)
