"""What happens to characters that others have to know of."""

from django.dispatch import Signal

# A file has taken the place of a character's. Sent with the character, the skeleton it had before, and the reason in
# words; receivers return by fitting the parts that lost a bone.
skeleton_replaced = Signal()
