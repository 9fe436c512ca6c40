"""What sentences repeat of what they were given."""

from typing import Any


def shown(value: Any, most: int = 60) -> str:
    """A value as a sentence repeats it: in one line, cut short, and without what no text can hold."""
    text = " ".join(str(value).encode("utf-8", "replace").decode().split())
    return text if len(text) <= most else f"{text[: most - 1]}…"
