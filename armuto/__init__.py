"""Armuto's core: skeletons, clips, pairing, stance, transfer, findings.

Plain Python on NumPy and SciPy. It knows nothing of Django, HTTP or the studio's database.

Conventions, here and everywhere: right-handed, +Y up, +Z forward, metres, seconds. Quaternions are
``(x, y, z, w)``, unit length, float64 in computation. Motion is frame first, then joint: rotations
``(F, J, 4)``, translations ``(F, J, 3)``.
"""

import os

# Before NumPy is loaded. Our products of matrices are small: spread over threads they take as long on a machine that
# has nothing else to do, twice the processor time, and twice as long where two processes compute.
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

__version__ = "0.1.0"
