"""Arrays over HTTP: little-endian float32, the shape in a header."""

import numpy as np
from django.http import HttpResponse

from armuto.kinematics.arrays import FloatArray


def array_response(*blocks: FloatArray, **facts: float | int) -> HttpResponse:
    """Blocks one after another. Headers: X-Armuto-Shape ("149,22,3;149,1,3") and one X-Armuto-… per fact."""
    response = HttpResponse(
        b"".join(np.ascontiguousarray(block, "<f4").tobytes() for block in blocks),
        content_type="application/octet-stream",
    )
    response["X-Armuto-Shape"] = ";".join(",".join(str(n) for n in block.shape) for block in blocks)
    for name, value in facts.items():
        response[f"X-Armuto-{name.capitalize()}"] = str(value)
    response["Cache-Control"] = "no-store"
    return response
