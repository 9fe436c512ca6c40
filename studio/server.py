"""The server of the studio: uvicorn, which ends at once although pages keep their streams open.

Run as ``python -m studio.server PORT``.
"""

import sys
from types import FrameType

import uvicorn


class Server(uvicorn.Server):
    def handle_exit(self, sig: int, frame: FrameType | None) -> None:
        from studio.changes import api

        api.ending.set()
        super().handle_exit(sig, frame)


if __name__ == "__main__":
    config = uvicorn.Config("studio.asgi:application", port=int(sys.argv[1]), log_level="warning")
    Server(config).run()
