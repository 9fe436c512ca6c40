"""Digests of what renditions depend on: equal exactly where the motion and its findings would be."""

import hashlib
import json
from typing import Any

# What a fitting's file says beside what it does: how sure, why, what was left out on purpose, what is left between
# stances. Joint limits stand there as well, and belong to the character; exceptions and touch-ups to the rendition of
# their clip.
BESIDE = {"notes", "limits", "left_out", "exceptions", "touchups"}
BESIDE_OF_PAIRS = {"confidence", "reasons", "confirmed"}
BESIDE_OF_STANCES = {"name", "how"}


def digest(*values: Any) -> str:
    """Hash of plain data."""
    return hashlib.sha256(json.dumps(values, sort_keys=True).encode()).hexdigest()


def of_fitting(data: dict[str, Any]) -> str:
    """Of a fitting's JSON form (:func:`armuto.retarget.fitting_file.to_json`)."""
    taking = {key: value for key, value in data.items() if key not in BESIDE}
    taking["pairs"] = [_without(pair, BESIDE_OF_PAIRS) for pair in data["pairs"]]
    taking["stances"] = {side: _without(data["stances"][side], BESIDE_OF_STANCES) for side in ("source", "target")}
    return digest(taking)


def _without(row: dict[str, Any], keys: set[str]) -> dict[str, Any]:
    return {key: value for key, value in row.items() if key not in keys}
