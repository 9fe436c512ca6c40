"""What has been changed lately, for pages that show the same."""

from django.db import models


class Change(models.Model):
    """Something was written. subjects: of which apps. path: of the request that wrote it, or empty for a task. page:
    the page that asked for it, which knows already."""

    subjects = models.JSONField()
    path = models.CharField(max_length=255, default="")
    page = models.CharField(max_length=64, default="")
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["id"]
