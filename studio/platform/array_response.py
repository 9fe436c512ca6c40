"""Arrays over HTTP: little-endian float32, the shape in a header; and the same for pages, in half the bytes."""

from collections.abc import Callable
from math import prod

import numpy as np
from django.http import HttpRequest, HttpResponse
from django.utils.cache import patch_vary_headers

from armuto.kinematics.arrays import FloatArray

PLAIN, DELTAS = "application/octet-stream", "application/vnd.armuto.deltas"
STEPS = 20  # binary digits below the largest value of a block: 4 µm at 4 m, and 0.0001° of a rotation


def array_response(*blocks: FloatArray, **facts: float | int) -> HttpResponse:
    """Blocks one after another. Headers: X-Armuto-Shape ("149,22,3;149,1,3") and one X-Armuto-… per fact."""
    response = HttpResponse(
        b"".join(np.ascontiguousarray(block, "<f4").tobytes() for block in blocks),
        content_type=PLAIN,
    )
    response["X-Armuto-Shape"] = ";".join(",".join(str(n) for n in block.shape) for block in blocks)
    for name, value in facts.items():
        response[f"X-Armuto-{name.capitalize()}"] = str(value)
    response["Cache-Control"] = "no-store"
    return response


class DeltaEncoding:
    """Arrays for who accepts them in a quarter of the bytes: motion to look at.

    Values become whole steps of their block (header X-Armuto-Step), of which the differences from row to row are sent
    that mostly are small: zigzag, so that small negative ones are small too, one column after another, and of each
    block the lowest bytes of all first, then the next (the shuffle filter of HDF5). What is compressed afterwards are
    long runs of zeros.
    """

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        response = self.get_response(request)
        if "X-Armuto-Shape" not in response.headers:
            return response
        patch_vary_headers(response, ["Accept"])
        values = np.frombuffer(response.content, "<f4").astype(float)
        if DELTAS in request.headers.get("Accept", "") and np.isfinite(values).all():
            shapes = [[int(n) for n in shape.split(",")] for shape in response["X-Armuto-Shape"].split(";")]
            blocks = np.split(values, np.cumsum([prod(shape) for shape in shapes])[:-1])
            steps = [_step(block) for block in blocks]
            response["X-Armuto-Step"] = ";".join(repr(step) for step in steps)
            response["Content-Type"] = DELTAS
            response.content = b"".join(
                _encoded(block.reshape(shape[0], prod(shape[1:])), step)
                for block, shape, step in zip(blocks, shapes, steps, strict=True)
            )
        return response


def _step(values: FloatArray) -> float:
    """A power of two, so that dividing by it loses nothing."""
    largest = float(np.abs(values).max(initial=0.0))
    return float(2.0 ** (np.ceil(np.log2(largest)) - STEPS)) if largest > 0 else 1.0


def _encoded(rows: FloatArray, step: float) -> bytes:
    whole = np.round(rows / step).astype(np.int64)
    deltas = np.diff(whole, axis=0, prepend=0)
    zigzag = ((deltas << 1) ^ (deltas >> 63)).astype("<u4")
    return np.ascontiguousarray(zigzag.T).view("u1").reshape(-1, 4).T.tobytes()
