"""Computing what a character does: the same core function for the preview and the rendition."""

from armuto import pipeline
from armuto.contacts.model import ContactSet
from armuto.kinematics.clip import Clip as ClipValue
from armuto.pipeline import RetargetResult
from armuto.retarget import fitting as core
from armuto.touchups.applying import TouchUps
from studio.fittings.models import Fitting
from studio.fittings.preview import clip_value, contacts_of
from studio.fittings.services.spliced import performed
from studio.library.models import Clip


def retarget(
    row: Fitting,
    fitting: core.Fitting,
    clip: Clip,
    first: int | None = None,
    last: int | None = None,
    contacts: ContactSet | None = None,
    touchups: TouchUps | None = None,
) -> RetargetResult:
    """The clip, or its frames first to last, transferred through a fitting, with layers of touch-ups over it.

    row: whose fitting it is, whatever that says at the moment; the parts of a spliced clip are performed through others
    of its character. contacts: where they are at hand.
    """
    value = clip_value(clip)
    stop = value.frames - 1
    start = min(max(first or 0, 0), stop)
    end = min(max(stop if last is None else last, start), stop)
    parts = performed(row, fitting, clip, _performance)
    known = contacts or contacts_of(fitting, clip)
    return pipeline.retarget(value, fitting, known, start, end, touchups, parts)


def _performance(fitting: core.Fitting, clip: Clip) -> ClipValue:
    return pipeline.retarget(clip_value(clip), fitting, contacts_of(fitting, clip)).clip
