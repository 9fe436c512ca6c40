"""What happens to fittings that others have to know of."""

from django.dispatch import Signal

# Another state of a fitting is in force. Sent with the fitting.
state_changed = Signal()
