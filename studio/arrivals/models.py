"""Arrivals: files on their way in. A row lives from the upload until the person has seen what became of it.

An archive is one arrival of many files: done of total have been read, and refused holds a sentence for each that failed.
"""

from django.db import models


class Arrival(models.Model):
    class State(models.TextChoices):
        WAITING = "waiting"
        READING = "reading"
        ACCEPTED = "accepted"
        REFUSED = "refused"

    name = models.CharField(max_length=255)
    goes_to = models.CharField(max_length=16, default="auto")
    state = models.CharField(max_length=16, choices=State, default=State.WAITING)
    sentence = models.TextField(default="")
    refused = models.JSONField(default=list)
    done = models.PositiveIntegerField(default=0)
    total = models.PositiveIntegerField(default=1)
    clips = models.JSONField(default=list)
    characters = models.JSONField(default=list)
    created = models.DateTimeField(auto_now_add=True)


class ArrivalContent(models.Model):
    """The bytes, only until they have been read."""

    arrival = models.OneToOneField(Arrival, models.CASCADE, primary_key=True, related_name="content")
    data = models.BinaryField()
