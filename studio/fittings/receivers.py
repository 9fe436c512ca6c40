"""What fittings do when something they are made of changes."""

from django.dispatch import receiver

from armuto.kinematics.skeleton import Skeleton
from studio.cast.models import Character
from studio.cast.signals import skeleton_replaced
from studio.fittings.models import Fitting
from studio.fittings.services.steps import fit_again


@receiver(skeleton_replaced)
def keep_fittings(
    sender: type[Character], character: Character, before: Skeleton, reason: str, **_: object
) -> dict[Fitting, list[str]]:
    """The parts that lost a bone, by fitting of the character."""
    return {fitting: fit_again(fitting, reason, before) for fitting in character.fittings.all()}
