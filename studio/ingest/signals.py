"""What the intake tells other apps."""

from django.dispatch import Signal

#: Clips came in that were recorded in one space. name: of the recording. members: numbers of clips by performer.
#: tracks: as :attr:`studio.ingest.models.IntakeEnsemble.tracks` has them.
recorded_together = Signal()

#: A file of the intake has been read and waits for a decision. file: its row.
file_laid_out = Signal()

#: The museum's figures and takes have come into an empty studio.
museum_brought_in = Signal()
