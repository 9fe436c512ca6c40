"""Live motion: a stream of frames from a capture stage, performed through a fitting as it arrives, and recorded."""
